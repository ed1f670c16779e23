import { useMemo } from 'react'
import { round } from '../../field/site/SiteMap'
import { useUnits } from '../../lib/units'
import { register as words } from '../../words'
import type { Placed } from './usePasses'

/** Widths of a line on the page, by how well the place is known against what is asked. */
const WIDTH = { good: 0.6, poor: 1 }

/** A walk from above: where it is within what is asked, where it is held by ties, where surfaces lay double before. */
export function PathMap({ placed, asked }: { placed: Placed; asked: number | null }) {
  const u = useUnits()
  const box = useMemo(() => {
    const at = placed.along.map((a) => [a.at[0] ?? 0, a.at[1] ?? 0] as const)
    const [xs, ys] = [at.map((p) => p[0]), at.map((p) => p[1])]
    const [left, low] = [Math.min(...xs), Math.min(...ys)]
    const [w, h] = [Math.max(...xs) - left, Math.max(...ys) - low]
    const room = Math.max(2, 0.08 * Math.max(w, h))
    return {
      at: at.map(([x, y]) => [x - left + room, h - (y - low) + room] as const),
      left,
      low,
      h,
      room,
      w: w + 2 * room,
      all: h + 2 * room,
    }
  }, [placed])
  if (box.at.length < 2) return null
  const s = Math.max(box.w, box.all * 1.4) / 100
  const bad = (k: number) => asked != null && Math.max(...(placed.along[k]?.error95 ?? [0])) > asked
  const bar = round(box.w, u.metres)
  const put = (p: number[]) => [(p[0] ?? 0) - box.left + box.room, box.h - ((p[1] ?? 0) - box.low) + box.room] as const
  const double = placed.doubled[0]?.worst ?? []
  return (
    <svg
      className="path-map"
      viewBox={`0 0 ${box.w} ${box.all}`}
      role="img"
      aria-label={words.pathMapSays(placed.along.length, double.length)}
    >
      {box.at.slice(1).map((p, k) => {
        const q = box.at[k]!
        const poor = bad(k) || bad(k + 1)
        return (
          <line
            key={k}
            className={poor ? 'poor' : 'good'}
            x1={q[0]}
            y1={q[1]}
            x2={p[0]}
            y2={p[1]}
            strokeWidth={s * (poor ? WIDTH.poor : WIDTH.good)}
            strokeDasharray={poor ? `${2 * s} ${1.2 * s}` : undefined}
          />
        )
      })}
      {box.at.map(
        (p, k) =>
          (placed.along[k]?.ties ?? 0) > 0 && <circle key={k} className="held" cx={p[0]} cy={p[1]} r={0.75 * s} />,
      )}
      {double.map((d, k) => {
        const [x, y] = put(d.at)
        return (
          <path
            key={k}
            className="double"
            transform={`translate(${x} ${y}) scale(${s})`}
            d="M-1.4-.7H1.4M-1.4 .7H1.4"
          />
        )
      })}
      <g transform={`translate(${box.room / 2} ${box.all - 1.2 * s})`}>
        <path className="bar-line" d={`M0 0V${-s}M0 0H${bar * u.metres}V${-s}`} strokeWidth={0.3 * s} fill="none" />
        <text fontSize={2.6 * s} x={bar * u.metres + s} y={0}>
          {`${bar} ${u.code}`}
        </text>
      </g>
    </svg>
  )
}
