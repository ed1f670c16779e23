import { useState } from 'react'
import { useUnits } from '../lib/units'
import { check as words } from '../words'
import { colourOf, fromAbove, PIECES, pieceOf, type Shown, type Surface } from './covered'

/** The required surfaces from above: pale where all is as asked, strong where it is not; holes by number, scans, and where
 * one more would stand. */
export function CoverMap(p: {
  data: Shown
  hole: number | null
  surface: Surface | undefined
  onHole: (k: number | null) => void
}) {
  const u = useUnits()
  const { surfaces, holes, stations, fillings } = p.data
  // the surfaces that something is wrong with; all of them where nothing is
  const [all, setAll] = useState(false)
  const wrong = surfaces.filter((s) => holes.some((o) => o.item === s.item))
  const framed = all || wrong.length === 0 ? surfaces : wrong
  const places = [
    ...framed.flatMap((s) => s.cells.map((c) => [c[0]!, c[1]!] as const)),
    ...fillings.map((s) => [s.position[0]!, s.position[1]!] as const),
    ...(framed === wrong ? [] : stations.map((s) => [s.position[0]!, s.position[1]!] as const)),
  ]
  if (places.length === 0) return null
  const range = (k: 0 | 1) =>
    places.reduce<[number, number]>((r, v) => [Math.min(r[0], v[k]), Math.max(r[1], v[k])], [Infinity, -Infinity])
  const [[x0, x1], [y0, y1]] = [range(0), range(1)]
  const size = Math.max(x1 - x0, (y1 - y0) * 1.2, 1)
  const px = size / 130
  const pad = 6 * px
  const X = (x: number) => x - x0 + pad
  const Y = (y: number) => y1 - y + pad
  const [w, h] = [x1 - x0 + 2 * pad, y1 - y0 + 2 * pad]
  const bar = [1, 2, 5, 10, 20, 50, 100].map((v) => v * (u.code === 'm' ? 1 : 3 * u.metres)).find((v) => v > size / 8)
  return (
    <figure className="cover-map">
      <svg viewBox={`0 0 ${w} ${h}`} role="group" aria-label={words.coverFromAbove}>
        {surfaces.map((s) =>
          s.kind === 'floor'
            ? s.cells.map((c, k) => <Tile key={k} cell={c} surface={s} X={X} Y={Y} />)
            : fromAbove(s).map(({ line: [a, b], piece }, k) => (
                <line
                  key={`${s.item} ${k}`}
                  x1={X(a[0])}
                  y1={Y(a[1])}
                  x2={X(b[0])}
                  y2={Y(b[1])}
                  stroke={colourOf(piece)}
                  strokeWidth={piece === 'within' ? px : 2 * px}
                  opacity={p.surface && p.surface.item !== s.item ? 0.45 : 1}
                />
              )),
        )}
        {stations.map((s) => (
          <g key={s.name}>
            <title>{s.name}</title>
            <path
              d={`M${X(s.position[0]!) - px} ${Y(s.position[1]!) + px * 0.8} l${px} ${-1.8 * px} l${px} ${1.8 * px} z`}
              fill="none"
              stroke="var(--ink)"
              strokeWidth={px / 4}
            />
          </g>
        ))}
        {fillings.map((f, k) => (
          <g key={f.position.join(' ')}>
            <circle cx={X(f.position[0]!)} cy={Y(f.position[1]!)} r={1.1 * px} fill="var(--accent)" />
            <text
              x={X(f.position[0]!) + 1.6 * px}
              y={Y(f.position[1]!) + px}
              style={{ fontSize: 3 * px, fill: 'var(--accent)', fontWeight: 600 }}
            >
              +{k + 1}
            </text>
          </g>
        ))}
        {holes.map((o, k) => (
          <g key={`${o.item} ${o.at.join(' ')}`} onClick={() => p.onHole(p.hole === k ? null : k)} className="hole">
            <circle
              cx={X(o.at[0]!)}
              cy={Y(o.at[1]!)}
              r={2 * px}
              fill={p.hole === k ? 'var(--red)' : 'var(--paper)'}
              stroke="var(--red)"
              strokeWidth={px / 3}
            />
            <text
              x={X(o.at[0]!)}
              y={Y(o.at[1]!) + 0.95 * px}
              textAnchor="middle"
              style={{ fontSize: 2.6 * px, fill: p.hole === k ? 'var(--on-fill)' : 'var(--red)' }}
            >
              {k + 1}
            </text>
          </g>
        ))}
        {bar && <Bar length={bar} px={px} at={[pad / 2, h - pad / 3]} />}
      </svg>
      <figcaption className="legend">
        {wrong.length > 0 && wrong.length < surfaces.length && (
          <button type="button" className="link" onClick={() => setAll(!all)}>
            {all ? words.whatFallsShort : words.theWholeSite}
          </button>
        )}
        {PIECES.map((q) => (
          <span key={q}>
            <i style={{ background: colourOf(q) }} />
            {words.pieces[q]}
          </span>
        ))}
        <span>△ {words.scanStood}</span>
        <span className="added">● {words.oneMore}</span>
      </figcaption>
    </figure>
  )
}

function Tile(p: { cell: number[]; surface: Surface; X: (x: number) => number; Y: (y: number) => number }) {
  const [x = 0, y = 0, , , w = 0, h = 0] = p.cell
  const piece = pieceOf(p.cell, p.surface.required)
  return (
    <rect
      x={p.X(x - w / 2)}
      y={p.Y(y + h / 2)}
      width={w}
      height={h}
      fill={colourOf(piece)}
      opacity={piece === 'within' ? 0.35 : 0.8}
    />
  )
}

/** How long something is on the map. */
function Bar({ length, px, at }: { length: number; px: number; at: [number, number] }) {
  const u = useUnits()
  return (
    <g transform={`translate(${at[0]} ${at[1]})`}>
      <line x1={0} x2={length} y1={0} y2={0} stroke="var(--ink)" strokeWidth={px / 3} />
      <text x={0} y={-px} style={{ fontSize: 2.6 * px }}>
        {u.len(length, 0)} {u.code}
      </text>
    </g>
  )
}
