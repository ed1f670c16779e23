import { ACCENT, FAINT, HALO, INK, OCHRE, PAPER } from '../lib/palette'
import type { Units } from '../lib/units'
import { begin, scaleBar } from '../register/draw'
import { type Drawn, ends, type Place } from './drawn'
import { cornersOf } from './ground'
import { type Look, toPaper } from './paint'

export interface GroundPicture {
  contours: { height: number; line: Place[] }[]
  /** Height between contours, metres. */
  apart: number
  /** What is drawn on the ground. */
  items: Drawn[]
  /** Walls of floor plans, to know where one is. */
  walls: Drawn[]
  /** Points of the clouds in a slab. */
  cloud?: Place[]
  heights: Map<string, number>
  selected: string | null
  look: Look
  /** Corners of what is on its way, and where the pointer is. */
  way: Place[]
  hold: Place | null
}

/** Contours that are longer on the screen than this have their height written to them, pixels. */
const WRITTEN = 140

export function paintGround(c: HTMLCanvasElement, p: GroundPicture, u: Units) {
  const started = begin(c)
  if (!started) return
  const [g, w, h] = started
  const to = toPaper(p.look, w, h)
  for (const { height, line } of p.contours) {
    const strong = Math.round(height / p.apart) % 5 === 0
    g.strokeStyle = OCHRE
    g.lineWidth = strong ? 1.6 : 0.7
    const places = line.map(to)
    trace(g, places)
    g.stroke()
    if (strong) written(g, places, u.len(height, p.apart < 0.1 ? 2 : 1), w, h)
  }
  g.fillStyle = FAINT
  for (const q of p.cloud ?? []) {
    const [x, y] = to(q)
    g.fillRect(x - 0.5, y - 0.5, 1, 1)
  }
  g.strokeStyle = FAINT
  g.lineWidth = 1
  for (const d of p.walls) {
    const e = ends(d)
    if (!e) continue
    trace(g, e.map(to))
    g.stroke()
  }
  for (const d of p.items) drawn(g, d, p, to, u)
  if (p.way.length > 0) {
    g.strokeStyle = HALO
    g.lineWidth = 2
    trace(g, [...p.way, ...(p.hold ? [p.hold] : [])].map(to))
    g.stroke()
  }
  g.textAlign = 'start'
  scaleBar(g, h, u.metres / p.look.metres, u.code)
}

function trace(g: CanvasRenderingContext2D, places: Place[], closed = false) {
  g.beginPath()
  places.forEach((q, k) => (k === 0 ? g.moveTo(...q) : g.lineTo(...q)))
  if (closed) g.closePath()
}

function drawn(g: CanvasRenderingContext2D, d: Drawn, p: GroundPicture, to: (q: Place) => Place, u: Units) {
  const on = d.id === p.selected
  const places = cornersOf(d).map(to)
  g.strokeStyle = on ? HALO : INK
  g.fillStyle = on ? HALO : INK
  g.lineWidth = on ? 3 : 2
  if (places.length === 1) {
    const [x, y] = places[0]!
    const height = p.heights.get(d.id)
    trace(g, [
      [x - 5, y],
      [x + 5, y],
    ])
    g.stroke()
    trace(g, [
      [x, y - 5],
      [x, y + 5],
    ])
    g.stroke()
    label(g, [x + 8, y + 4], [d.data.name, height == null ? '' : u.len(height, 3)].filter(Boolean).join(' '))
  } else {
    trace(g, places, d.kind === 'area')
    if (d.kind === 'area') {
      g.globalAlpha = 0.12
      g.fillStyle = ACCENT
      g.fill()
      g.globalAlpha = 1
      g.setLineDash([6, 4])
    }
    g.stroke()
    g.setLineDash([])
    if (d.kind === 'area' && d.data.name) label(g, middle(places), d.data.name)
  }
  if (on) for (const q of places) handle(g, q)
}

const middle = (places: Place[]): Place => [
  places.reduce((n, q) => n + q[0], 0) / places.length,
  places.reduce((n, q) => n + q[1], 0) / places.length,
]

function handle(g: CanvasRenderingContext2D, [x, y]: Place) {
  g.fillStyle = PAPER
  g.strokeStyle = HALO
  g.lineWidth = 2
  g.beginPath()
  g.arc(x, y, 5, 0, 7)
  g.fill()
  g.stroke()
}

function label(g: CanvasRenderingContext2D, [x, y]: Place, text: string) {
  g.lineWidth = 3
  g.strokeStyle = PAPER
  g.strokeText(text, x, y)
  g.fillStyle = INK
  g.fillText(text, x, y)
}

/** The height of a contour where it is long enough to be read, within the paper. */
function written(g: CanvasRenderingContext2D, places: Place[], text: string, w: number, h: number) {
  let along = 0
  for (let k = 1; k < places.length; k++) {
    const [a, b] = [places[k - 1]!, places[k]!]
    along += Math.hypot(b[0] - a[0], b[1] - a[1])
    if (along < WRITTEN || b[0] < 30 || b[0] > w - 30 || b[1] < 20 || b[1] > h - 30) continue
    const from = places[Math.max(0, k - 6)]!
    let turn = Math.atan2(b[1] - from[1], b[0] - from[0])
    if (turn > Math.PI / 2 || turn <= -Math.PI / 2) turn -= Math.PI * Math.sign(turn)
    g.save()
    g.translate((from[0] + b[0]) / 2, (from[1] + b[1]) / 2)
    g.rotate(turn)
    g.textAlign = 'center'
    label(g, [0, 4], text)
    g.restore()
    return
  }
}
