import { useEffect, useRef, useState } from 'react'
import { steps } from '../cloud/keys'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { cellWords, colourOf, type MapMode, type Surface } from './maps'
import { plan as words } from '../words'

/** A wall developed, seen square on, or a floor from above: every piece in the colour of the map. */
export function Elevation({ surface, mode, limit }: { surface: Surface; mode: MapMode; limit: number | null }) {
  const u = useUnits()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [said, say] = useState('')
  const cells = surface.cells
  const floor = surface.kind === 'floor'
  const low = floor ? Math.min(...cells.map((c) => c[1]! - c[5]! / 2)) : surface.base
  const high = floor ? Math.max(...cells.map((c) => c[1]! + c[5]! / 2)) : surface.top
  const left = floor ? Math.min(...cells.map((c) => c[0]! - c[4]! / 2)) : 0
  const width = floor ? Math.max(...cells.map((c) => c[0]! + c[4]! / 2)) - left : surface.length
  const at = (c: number[]): [number, number] => (floor ? [c[0]! - left, c[1]! - low] : [c[3]!, c[2]! - low])
  const shown = mode === 'station' ? 'count' : mode
  const scale = useRef(1)
  const place = useRef<[number, number]>([0, 0])
  useEffect(() => {
    const el = canvas.current
    if (!el || !cells.length) return
    const ratio = window.devicePixelRatio
    const box = el.parentElement!.getBoundingClientRect()
    const s = (scale.current = Math.min((box.width - 16) / width, (floor ? 260 : 120) / (high - low)))
    el.style.width = `${width * s}px`
    el.style.height = `${(high - low) * s}px`
    el.width = width * s * ratio
    el.height = (high - low) * s * ratio
    const g = el.getContext('2d')!
    g.scale(ratio, ratio)
    for (const c of cells) {
      const [x, y] = at(c)
      g.fillStyle = colourOf(shown, c, surface.required, surface.accuracy ?? limit)
      g.fillRect((x - c[4]! / 2) * s, (high - low - y - c[5]! / 2) * s, c[4]! * s + 0.4, c[5]! * s + 0.4)
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the surface holds the rest
  }, [surface, shown, limit])
  const point = (e: React.PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect()
    read((e.clientX - r.left) / scale.current, high - low - (e.clientY - r.top) / scale.current)
  }
  const read = (x: number, y: number) => {
    const c = cells.find((p) => {
      const [a, b] = at(p)
      return Math.abs(a - x) <= p[4]! / 2 && Math.abs(b - y) <= p[5]! / 2
    })
    place.current = [x, y]
    say(`${u.len(x, 2)} ${u.code} along: ${c ? cellWords(c, u) : words.anOpening}`)
  }
  // the arrow keys go from piece to piece
  const keys = (e: React.KeyboardEvent) => {
    const { side, up } = steps(e.key, 1)
    const cell = cells[0]
    if (!cell || (!side && !up)) return
    e.preventDefault()
    const [x, y] = place.current
    const within = (v: number, most: number, size: number) => Math.min(Math.max(v, size / 2), most - size / 2)
    read(within(x + side * cell[4]!, width, cell[4]!), within(y + up * cell[5]!, high - low, cell[5]!))
  }
  const percent = (v: number) => `${num((100 * v) / surface.area, 1)} %`
  return (
    <div className="elevation" role="group" aria-label={words.elevationOf(surface.name)}>
      <div className="head">
        <h2>
          {surface.name}, {floor ? words.fromAbove : words.developed}
        </h2>
        <span>
          {words.coveredTwice(
            u.area(surface.area),
            percent(surface.once),
            percent(surface.twice),
            surface.required ? words.required(u.err(surface.required), u.small) : words.nothingRequired,
          )}
        </span>
      </div>
      <canvas
        ref={canvas}
        role="application"
        tabIndex={0}
        aria-label={words.piecesOfTheArrow(surface.name)}
        onPointerMove={point}
        onPointerLeave={() => say('')}
        onKeyDown={keys}
      />
      <small className="faint" role="status">
        {said || words.pointAtAPieceTo}
      </small>
    </div>
  )
}
