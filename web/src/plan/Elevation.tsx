import { useEffect, useRef, useState } from 'react'
import { steps } from '../cloud/keys'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { useLatest } from '../lib/hooks'
import { cellWords, colourOf, type MapMode, type Surface } from './maps'
import { plan as words } from '../words'

/** What is drawn of a surface: of each piece x, y, z, distance along the wall, width, height first. */
type Faced = Pick<Surface, 'name' | 'kind' | 'length' | 'base' | 'top'> & { cells: number[][] }

/** A surface of the plan: every piece in the colour of the map. */
export function Planned({ surface: s, mode, limit }: { surface: Surface; mode: MapMode; limit: number | null }) {
  const u = useUnits()
  const shown = mode === 'station' ? 'count' : mode
  const percent = (v: number) => `${num((100 * v) / s.area, 1)} %`
  return (
    <Elevation
      surface={s}
      paint={(c) => colourOf(shown, c, s.required, s.accuracy ?? limit)}
      of={`${shown} ${limit}`}
      say={(c) => cellWords(c, u)}
      about={words.coveredTwice(
        u.area(s.area),
        percent(s.once),
        percent(s.twice),
        s.required ? words.required(u.err(s.required), u.small) : words.nothingRequired,
      )}
    />
  )
}

/** A wall developed, seen square on, or a floor from above: every piece in its colour. */
export function Elevation({
  surface,
  paint,
  of,
  say: told,
  about,
  frame,
}: {
  surface: Faced
  paint: (cell: readonly number[]) => string
  /** What the colours go by: they are drawn anew when it is another. */
  of?: string
  say: (cell: readonly number[]) => string
  about: React.ReactNode
  /** A part that is pointed at, metres. */
  frame?: { along: readonly number[]; heights: readonly number[] }
}) {
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
  const painter = useLatest(paint)
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
    const g = el.getContext('2d')
    if (!g) return
    g.scale(ratio, ratio)
    for (const c of cells) {
      const [x, y] = at(c)
      g.fillStyle = painter.current(c)
      g.fillRect((x - c[4]! / 2) * s, (high - low - y - c[5]! / 2) * s, c[4]! * s + 0.4, c[5]! * s + 0.4)
    }
    if (frame) {
      const [[a = 0, b = 0], [low0 = 0, high0 = 0]] = [frame.along, frame.heights]
      g.strokeStyle = getComputedStyle(el).color
      g.lineWidth = 2
      g.strokeRect(a * s - 1, (high - high0) * s - 1, (b - a) * s + 2, (high0 - low0) * s + 2)
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the surface holds the rest
  }, [surface, of, frame?.along, frame?.heights])
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
    say(`${u.len(x, 2)} ${u.code} along: ${c ? told(c) : words.anOpening}`)
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
  return (
    <div className="elevation" role="group" aria-label={words.elevationOf(surface.name)}>
      <div className="head">
        <h2>
          {surface.name}, {floor ? words.fromAbove : words.developed}
        </h2>
        <span>{about}</span>
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
