import { useMemo } from 'react'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { type Edge, edges, type GradeName, ordered } from './graph'
import type { Result } from './useRegistration'
import type { CloudTie } from './useTies'
import { register as words } from '../words'

const W = 560
const H = 380
const EDGE = 34
/** One fault opens many loops: those that it opens most have their misclosure written in. */
const NAMED = 3
const STROKE: Record<GradeName, { colour: string; dash?: string }> = {
  sound: { colour: 'var(--accent)' },
  doubtful: { colour: 'var(--ochre)', dash: '9 5' },
  failed: { colour: 'var(--red)', dash: '3 5' },
  not_judged: { colour: 'var(--faint)', dash: '1 4' },
}
const SAID: Record<GradeName, string> = {
  sound: words.sound,
  doubtful: words.doubtful,
  failed: words.failed,
  not_judged: words.notJudged,
}

const title = (e: Edge) =>
  [
    `${e.a}–${e.b}: ${SAID[e.grade]}`,
    e.overlap != null && `${num(100 * e.overlap, 0)} % overlap`,
    e.shared > 0 && words.sharedTargets(e.shared),
    !e.used && words.takesNoPart,
  ]
    .filter(Boolean)
    .join(', ')

interface Shown {
  result: Result
  clouds: CloudTie[]
  picked: string | null
  onScan: (name: string) => void
  onEdge: (e: Edge) => void
}

/** What holds the block together: stations where they stand, ties by their grade, as wide as what they share, loops that
 * do not close; and beside it who shares how much with whom. */
export function StationGraph(p: Shown) {
  const all = useMemo(() => edges(p.result, p.clouds), [p.result, p.clouds])
  return (
    <>
      <Graph {...p} of={all} />
      <Matrix {...p} of={all} />
    </>
  )
}

function Graph({ result, of, picked, onScan, onEdge }: Shown & { of: Edge[] }) {
  const u = useUnits()
  const at = useMemo(() => places(result), [result])
  const drawn = of.filter((e) => at.has(e.a) && at.has(e.b))
  const weak = drawn.filter((e) => e.grade !== 'sound').length
  const open = result.loops.filter((l) => l.p_value < 0.001).sort((x, y) => y.shift / y.shift95 - x.shift / x.shift95)
  const crowded = at.size > 45
  return (
    <figure className="graph">
      <figcaption>
        {words.stationsTies(at.size, drawn.length)}
        {weak ? <b>{words.tiesNotSound(weak)}</b> : words.allSound};{' '}
        {open.length ? (
          <b className="bad">{words.notClose(open.length === 1 ? words.n1LoopDoes : words.loopsDo(open.length))}</b>
        ) : (
          words.loopsAllClose(result.loops.length)
        )}
      </figcaption>
      <svg viewBox={`0 0 ${W} ${H}`} role="group" aria-label={words.stationGraph}>
        {drawn.map((e) => {
          const [x1, y1] = at.get(e.a)!
          const [x2, y2] = at.get(e.b)!
          const s = STROKE[e.grade]
          const strong = picked === e.a || picked === e.b
          return (
            <g key={`${e.a} ${e.b}`} className="edge">
              <line
                {...{ x1, y1, x2, y2 }}
                stroke={s.colour}
                strokeDasharray={s.dash}
                strokeWidth={1 + 7 * (e.overlap ?? Math.min(e.shared, 8) / 16)}
                opacity={e.grade === 'sound' && !strong ? 0.4 : 1}
              />
              {/* a line is thin: what is clicked is wider than what is seen */}
              <line
                {...{ x1, y1, x2, y2 }}
                stroke="transparent"
                strokeWidth={14}
                role="button"
                tabIndex={e.grade === 'sound' ? -1 : 0}
                aria-label={title(e)}
                onClick={() => onEdge(e)}
                onKeyDown={(k) => k.key === 'Enter' && onEdge(e)}
              >
                <title>{title(e)}</title>
              </line>
            </g>
          )
        })}
        {open.slice(0, NAMED).map((l) => {
          const through = l.name.split(/[–-]/).flatMap((n) => at.get(n.trim()) ?? [])
          if (through.length < 2) return null
          const mean = (k: number) => {
            const v = through.filter((_, i) => i % 2 === k)
            return v.reduce((s, x) => s + x, 0) / v.length
          }
          return (
            <text key={l.name} x={mean(0)} y={mean(1)} className="open-loop">
              {u.err(l.shift)} {u.small}
              <title>{l.name}</title>
            </text>
          )
        })}
        {[...at].map(([name, [x, y]]) => (
          <g
            key={name}
            role="button"
            tabIndex={0}
            aria-label={name}
            className={`station ${picked === name ? 'on' : ''}`}
            onClick={() => onScan(name)}
            onKeyDown={(k) => k.key === 'Enter' && onScan(name)}
          >
            <path d={`M${x} ${y - 7} l6.5 11 h-13 z`} />
            {(!crowded || picked === name) && (
              <text x={x} y={y + 18}>
                {name}
              </text>
            )}
          </g>
        ))}
      </svg>
      <ul className="key" aria-hidden>
        {(['sound', 'doubtful', 'failed'] as const).map((g) => (
          <li key={g}>
            <svg width="34" height="8">
              <line
                x1="0"
                x2="34"
                y1="4"
                y2="4"
                stroke={STROKE[g].colour}
                strokeDasharray={STROKE[g].dash}
                strokeWidth="3"
              />
            </svg>{' '}
            {SAID[g]}
          </li>
        ))}
        <li>{words.widerMoreIsShared}</li>
      </ul>
    </figure>
  )
}

/** Where each station is drawn: from above, the longer side of the block across. */
function places(result: Result): Map<string, [number, number]> {
  const flat = result.stations.map((s) => [s.pose.translation[0] ?? 0, s.pose.translation[1] ?? 0] as const)
  const span = (k: 0 | 1, of: readonly (readonly [number, number])[]) => {
    const v = of.map((p) => p[k])
    return [Math.min(...v), Math.max(...v)] as const
  }
  const size = ([low, high]: readonly [number, number]) => high - low
  const upright = size(span(1, flat)) > size(span(0, flat))
  const at = flat.map(([x, y]) => (upright ? ([y, -x] as const) : ([x, y] as const)))
  const [h, v] = [span(0, at), span(1, at)]
  const scale = Math.min((W - 2 * EDGE) / Math.max(size(h), 1), (H - 2 * EDGE) / Math.max(size(v), 1))
  return new Map(
    result.stations.map((s, k) => {
      const [x, y] = at[k] ?? [0, 0]
      return [s.name, [W / 2 + (x - (h[0] + h[1]) / 2) * scale, H / 2 - (y - (v[0] + v[1]) / 2) * scale]]
    }),
  )
}

/** Who shares how much with whom: darker with more overlap, framed by the grade. */
function Matrix({ result, clouds, of, picked, onEdge }: Shown & { of: Edge[] }) {
  const names = useMemo(() => {
    const known = new Set([...result.stations.map((s) => s.name), ...clouds.flatMap((t) => [t.a, t.b])])
    return ordered([...known], of)
  }, [result, clouds, of])
  const overlaps = useMemo(() => {
    // how much of the row the column saw
    const m = new Map<string, number>()
    for (const t of clouds)
      if (t.grade !== 'failed') {
        m.set(`${t.b}\n${t.a}`, t.overlap[0] ?? 0)
        m.set(`${t.a}\n${t.b}`, t.overlap[1] ?? 0)
      }
    return m
  }, [clouds])
  if (names.length < 2) return null
  const cell = Math.max(5, Math.min(26, 480 / names.length))
  const head = cell >= 11 ? 46 : 4
  const side = head + cell * names.length
  return (
    <figure className="graph">
      <figcaption>{words.howMuchOfThe}</figcaption>
      <svg
        viewBox={`0 0 ${side + 2} ${side + 2}`}
        style={{ maxWidth: side * 1.4 }}
        role="group"
        aria-label={words.overlapMatrix}
      >
        {head > 10 &&
          names.map((n, k) => (
            <g key={n} className={picked === n ? 'name on' : 'name'}>
              <text x={head - 4} y={head + cell * (k + 0.5) + 4} textAnchor="end">
                {n}
              </text>
              <text transform={`translate(${head + cell * (k + 0.5) + 4} ${head - 4}) rotate(-90)`}>{n}</text>
            </g>
          ))}
        {of.map((e) => {
          const [i, j] = [names.indexOf(e.a), names.indexOf(e.b)]
          return [
            [i, j],
            [j, i],
          ].map(([row = 0, col = 0]) => {
            const v = overlaps.get(`${names[row]}\n${names[col]}`)
            const s = STROKE[e.grade]
            return (
              <g key={`${row} ${col}`}>
                <rect
                  x={head + cell * col + 1}
                  y={head + cell * row + 1}
                  width={cell - 2}
                  height={cell - 2}
                  fill="var(--accent)"
                  fillOpacity={v == null ? 0 : 0.12 + 0.8 * v}
                  stroke={e.grade === 'sound' ? 'var(--edge)' : s.colour}
                  strokeWidth={e.grade === 'sound' ? 0.6 : 2}
                  strokeDasharray={e.grade === 'sound' ? undefined : '4 2'}
                  onClick={() => onEdge(e)}
                  role="img"
                  aria-label={title(e)}
                >
                  <title>{title(e)}</title>
                </rect>
                {cell > 20 && v != null && (
                  <text
                    x={head + cell * (col + 0.5)}
                    y={head + cell * (row + 0.5) + 4}
                    textAnchor="middle"
                    className={v > 0.5 ? 'on-dark' : undefined}
                  >
                    {num(100 * v, 0)}
                  </text>
                )}
              </g>
            )
          })
        })}
      </svg>
    </figure>
  )
}
