import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { ACCENT, FAINT, HALO, INK } from '../lib/palette'
import { useUnits } from '../lib/units'
import { begin, scaleBar } from '../register/draw'
import { draw as words } from '../words'
import { type Drawn, ends, far, nearestOn, type Place, snap } from './drawn'
import { looking } from './elevation'
import { type Look, toPaper } from './paint'
import { boxOf } from './useDrawing'
import { keyed, useLook } from './useLook'

const NEAR = 9

interface Props {
  /** Lines of floor plans and where scans stand: to know where one is. */
  walls: Drawn[]
  stations: Place[]
  elevations: Drawn[]
  selected: string | null
  /** A line is being drawn. */
  drawing: boolean
  onDrawn: (line: [Place, Place]) => void
  onSelect: (id: string) => void
}

/** From above: where elevations lie and from which side they are seen. */
export function ElevationMap(p: Props) {
  const u = useUnits()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [from, setFrom] = useState<Place | null>(null)
  const [hold, setHold] = useState<Place | null>(null)
  const went = useRef(0)
  const about = [...p.walls, ...p.elevations]
  const { look, setLook, place } = useLook(canvas, boxOf(about) ?? boxOfPlaces(p.stations))
  useEffect(() => {
    const c = canvas.current
    if (c) paint(c, p, look, from && hold ? [from, hold] : null, u)
  })
  const held = (e: PointerEvent) => snap(place(e), NEAR * look.metres, about, p.stations)
  const up = (e: PointerEvent) => {
    if (went.current > 4) return
    const at = held(e)
    if (!p.drawing) {
      const [first] = p.elevations
        .map((d) => ({ d, off: ends(d) ? nearestOn(ends(d)!, place(e)).off : Infinity }))
        .filter((c) => c.off < NEAR * look.metres)
        .sort((a, b) => a.off - b.off)
      if (first) p.onSelect(first.d.id)
      return
    }
    if (!from) return setFrom(at)
    if (far(from, at) > 0.1) p.onDrawn([from, at])
    setFrom(null)
  }
  return (
    <canvas
      ref={canvas}
      className={`draw-paper small ${p.drawing ? 'line' : ''}`}
      role="application"
      tabIndex={0}
      aria-label={words.elevationMap}
      data-look={`${look.at[0]} ${look.at[1]} ${look.metres}`}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId)
        went.current = 0
      }}
      onPointerMove={(e) => {
        if (!e.buttons) return p.drawing ? setHold(held(e)) : undefined
        went.current += Math.abs(e.movementX) + Math.abs(e.movementY)
        if (went.current > 4)
          setLook({ ...look, at: [look.at[0] - e.movementX * look.metres, look.at[1] + e.movementY * look.metres] })
      }}
      onPointerUp={up}
      onKeyDown={(e) => {
        if (e.key === 'Escape') setFrom(null)
        const v = keyed(look, e.key)
        if (!v) return
        e.preventDefault()
        setLook(v)
      }}
    />
  )
}

function boxOfPlaces(places: Place[]): [number, number, number, number] | null {
  if (places.length === 0) return null
  const [x, y] = [places.map((p) => p[0]), places.map((p) => p[1])]
  return [Math.min(...x) - 5, Math.min(...y) - 5, Math.max(...x) + 5, Math.max(...y) + 5]
}

function paint(c: HTMLCanvasElement, p: Props, look: Look, way: [Place, Place] | null, u: ReturnType<typeof useUnits>) {
  const started = begin(c)
  if (!started) return
  const [g, w, h] = started
  const to = toPaper(look, w, h)
  const stroke = (places: Place[]) => {
    g.beginPath()
    places.forEach((q, k) => (k === 0 ? g.moveTo(...to(q)) : g.lineTo(...to(q))))
    g.stroke()
  }
  g.strokeStyle = FAINT
  g.lineWidth = 1
  for (const d of p.walls) if (ends(d)) stroke(ends(d)!)
  g.fillStyle = FAINT
  for (const q of p.stations) {
    const [x, y] = to(q)
    g.fillRect(x - 2, y - 2, 4, 4)
  }
  for (const d of p.elevations) {
    const on = d.id === p.selected
    g.strokeStyle = on ? HALO : ACCENT
    g.lineWidth = on ? 3.5 : 2
    const arrow = looking(d, 26 * look.metres)
    if (!arrow) continue
    stroke(ends(d)!)
    stroke(arrow)
    const [[x0, y0], [x1, y1]] = [to(arrow[0]), to(arrow[1])]
    const turn = Math.atan2(y1 - y0, x1 - x0)
    g.beginPath()
    for (const side of [-0.45, 0.45]) {
      g.moveTo(x1, y1)
      g.lineTo(x1 - 9 * Math.cos(turn + side), y1 - 9 * Math.sin(turn + side))
    }
    g.stroke()
    g.fillStyle = INK
    g.fillText(d.data.name ?? '', x0 + 5, y0 + 4)
  }
  if (way) {
    g.strokeStyle = HALO
    g.lineWidth = 2
    stroke(way)
  }
  scaleBar(g, h, u.metres / look.metres, u.code)
}
