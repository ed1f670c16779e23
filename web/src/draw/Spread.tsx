import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { draw as words } from '../words'
import { FIRST, STEP, within } from './solids'

const [W, H, FOOT] = [340, 62, 16]
/** Distances that are marked and told, metres. */
const MARKS = [-0.04, -0.02, 0, 0.02, 0.04]
const TOLD = [0.004, 0.01]

/** Without the noughts at its end. */
const short = (figure: string) => figure.replace(/\.?0+$/, '')

/** How far points lie off a solid. */
export function Spread({ spread, scatter }: { spread: number[]; scatter: number | null }) {
  const u = useUnits()
  const most = Math.max(1, ...spread)
  const x = (d: number) => ((d - FIRST) / (-2 * FIRST)) * W
  const percent = (share: number) => `${num(100 * share, 0)} %`
  const told = TOLD.map((d) => words.withinOf(percent(within(spread, d)), short(u.err(d)), u.small)).join(', ')
  return (
    <figure className="spread">
      <svg viewBox={`0 0 ${W} ${H + FOOT}`} role="img" aria-label={`${words.spreadOf}: ${told}`}>
        {spread.map((n, k) => (
          <rect
            key={k}
            className="bar-of"
            x={x(FIRST + k * STEP) + 0.5}
            width={x(FIRST + STEP) - 1}
            y={H - (n / most) * H}
            height={(n / most) * H}
          />
        ))}
        <line className="rule" x1={0} x2={W} y1={H} y2={H} />
        {MARKS.map((d) => (
          <text key={d} x={x(d)} y={H + 13} textAnchor="middle">
            {d === 0 ? `0 ${u.small}` : `${d > 0 ? '+' : '−'}${short(u.err(Math.abs(d)))}`}
          </text>
        ))}
      </svg>
      <figcaption>
        {words.spreadOf}: {told}
        {scatter != null && `; ${words.scatterOf(u.err(scatter), u.small)}`}.
      </figcaption>
    </figure>
  )
}
