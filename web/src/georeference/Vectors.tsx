import type { Schema } from '../api/client'
import { count } from '../lib/count'
import { useUnits } from '../lib/units'
import type { Control } from './useControl'
import { georeference as words } from '../words'

type Result = Schema['GeorefResult']
type Line = {
  name: string
  at: [number, number]
  by: [number, number]
  up: number
  kind: 'control' | 'check' | 'target'
  quiet?: boolean
}

const COLOURS = { target: 'var(--accent)', check: 'var(--ochre)', control: 'var(--red)' }

/** Residuals at control, and what control in the adjustment moves, as vectors on the plan. */
export function Vectors({ result, control }: { result?: Result; control: Control[] }) {
  const u = useUnits()
  const lines = result
    ? vectors(result, control)
    : control
        .filter((c) => c.e != null)
        .map((c): Line => ({
          name: c.name,
          at: [c.e ?? 0, c.n ?? 0],
          by: [0, 0],
          up: 0,
          kind: c.is_check ? 'check' : 'control',
        }))
  if (lines.length === 0)
    return (
      <div className="center">
        <p className="empty">{words.controlIsDrawnHere}</p>
      </div>
    )
  const span = (k: 0 | 1) => {
    const v = lines.map((l) => l.at[k])
    return [Math.min(...v), Math.max(...v)] as const
  }
  const [x0, x1] = span(0)
  const [y0, y1] = span(1)
  const size = Math.max(x1 - x0, y1 - y0, 1)
  const ellipses = result?.targets.map((t) => t.error.horizontal) ?? []
  const longest = Math.max(...lines.map((l) => Math.hypot(...l.by)), ...ellipses, 1e-4)
  // a round exaggeration that makes the longest a tenth of the site
  const raw = size / 10 / longest
  const step = 10 ** Math.floor(Math.log10(raw))
  const times = [5, 2, 1].map((k) => k * step).find((k) => k <= raw) ?? step
  const pad = size * 0.14
  const w = x1 - x0 + 2 * pad
  const h = y1 - y0 + 2 * pad
  const px = size / 110
  const X = (x: number) => x - x0 + pad
  const Y = (y: number) => y1 - y + pad
  const bar =
    [0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2]
      .map((v) => v * (u.code === 'm' ? 1 : u.metres))
      .find((v) => v * times > size / 16) ?? longest
  return (
    <svg
      className="vectors"
      viewBox={`0 0 ${w} ${h}`}
      role="img"
      aria-label={words.vectorsOnThePlan(times, lines.length)}
    >
      <Ellipses of={result?.targets ?? []} X={X} Y={Y} times={times} hair={px / 6} />
      {lines.map((l) => {
        const [x, y] = [X(l.at[0]), Y(l.at[1])]
        const [dx, dy] = [l.by[0] * times, -l.by[1] * times]
        const colour = COLOURS[l.kind]
        return (
          <g key={`${l.kind} ${l.name}`}>
            <title>{words.inPlanUp(l.name, l.kind, u.err(Math.hypot(...l.by)), u.small, u.err(l.up))}</title>
            {l.kind === 'control' && (
              <rect
                x={x - px}
                y={y - px}
                width={2 * px}
                height={2 * px}
                fill="none"
                stroke={colour}
                strokeWidth={px / 3}
              />
            )}
            {l.kind === 'check' && (
              <path
                d={`M${x - px} ${y + px} L${x} ${y - px} L${x + px} ${y + px} Z`}
                fill="none"
                stroke={colour}
                strokeWidth={px / 3}
              />
            )}
            {l.kind === 'target' && (
              <circle cx={x} cy={y} r={px * 0.7} fill="none" stroke={colour} strokeWidth={px / 4} />
            )}
            {Math.hypot(dx, dy) > px / 2 && (
              <line x1={x} y1={y} x2={x + dx} y2={y + dy} stroke={colour} strokeWidth={px / 2.4} />
            )}
            {!l.quiet && (
              <text x={x + 1.3 * px} y={y - 1.2 * px} style={{ fontSize: 2.5 * px }}>
                {l.name}
              </text>
            )}
          </g>
        )
      })}
      <g transform={`translate(${pad / 3} ${h - pad / 4})`}>
        <line x1={0} y1={0} x2={bar * times} y2={0} stroke="var(--ink)" strokeWidth={px / 2} />
        <text x={0} y={-px} style={{ fontSize: 2.4 * px }}>
          {words.drawnTimesLongerEllipses(u.err(bar), u.small, count(times))}
        </text>
      </g>
      <text x={w - pad / 2} y={pad / 2} style={{ fontSize: 3 * px }}>
        N ↑
      </text>
    </svg>
  )
}

/** The 95 % ellipse of each target, drawn as many times larger as the vectors. */
function Ellipses(p: {
  of: Result['targets']
  X: (x: number) => number
  Y: (y: number) => number
  times: number
  hair: number
}) {
  return p.of.map((t) => {
    const [x, y] = [p.X(t.position[0] ?? 0), p.Y(t.position[1] ?? 0)]
    return (
      <ellipse
        key={t.name}
        cx={x}
        cy={y}
        rx={t.error.horizontal * p.times}
        ry={t.error.horizontal_minor * p.times}
        // the bearing is from north, clockwise; the larger axis lies along x before it is turned
        transform={`rotate(${(t.error.bearing * 180) / Math.PI - 90} ${x} ${y})`}
        fill="var(--accent)"
        fillOpacity={0.07}
        stroke="var(--accent)"
        strokeWidth={p.hair}
      />
    )
  })
}

function vectors(result: Result, control: Control[]): Line[] {
  const place = (name: string) => result.targets.find((t) => t.name === name)?.position
  const points = [
    ...result.residuals.map((r) => ({ r, kind: 'control' as const })),
    ...result.checks.map((r) => ({ r, kind: 'check' as const })),
  ].flatMap(({ r, kind }) => {
    const c = control.find((x) => x.id === r.control)
    const at = c?.e != null && c.n != null ? [c.e, c.n] : place(r.target)
    return at
      ? [
          {
            name: r.name,
            at: [at[0] ?? 0, at[1] ?? 0] as [number, number],
            by: [r.residual[0] ?? 0, r.residual[1] ?? 0] as [number, number],
            up: r.residual[2] ?? 0,
            kind,
          },
        ]
      : []
  })
  const moved = result.targets
    .filter((t) => t.difference)
    .map((t): Line => ({
      name: t.name,
      at: [t.position[0] ?? 0, t.position[1] ?? 0],
      by: [t.difference?.[0] ?? 0, t.difference?.[1] ?? 0],
      up: t.difference?.[2] ?? 0,
      kind: 'target',
    }))
  // a target that is control is named by its control point alone
  const named = new Set(result.residuals.concat(result.checks).map((r) => r.target))
  return [...points, ...moved.map((l) => ({ ...l, quiet: named.has(l.name) }))]
}
