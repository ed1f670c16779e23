import type { Schema } from '../api/client'
import { ACCENT, INK, OCHRE, RED } from '../lib/palette'

export type Cut = Schema['CutDto']
export type CutOut = Schema['CutOutDto']
/** Right and up from the middle of a slice, metres. */
export type Place = [number, number]
type Three = [number, number, number]

/** Width over height of what is drawn. */
export const ASPECT = 2
/** Width at least and at most, metres. */
const NARROWEST = 0.1
const WIDEST = 4000
/** Thickness at least and at most, metres. */
const THINNEST = 0.002
const THICKEST = 2

const rad = Math.PI / 180
const along = (v: Three, by: number, w: Three): Three => [v[0] + by * w[0], v[1] + by * w[1], v[2] + by * w[2]]
const dot = (v: Three, w: Three) => v[0] * w[0] + v[1] * w[1] + v[2] * w[2]
const three = (v: number[]): Three => [v[0] ?? 0, v[1] ?? 0, v[2] ?? 0]

/** Directions to the right, up, and towards who looks. */
export function axes(c: Cut): { across: Three; up: Three; normal: Three } {
  const [s, k] = [Math.sin(c.bearing * rad), Math.cos(c.bearing * rad)]
  const [t, u] = [Math.sin(c.tilt * rad), Math.cos(c.tilt * rad)]
  return { across: [s, k, 0], up: [-k * u, s * u, t], normal: [k * t, -s * t, u] }
}

/** The slice shifted in its plane, and out of it towards who looks, metres. */
export function moved(c: Cut, u: number, v: number, w = 0): Cut {
  const a = axes(c)
  return { ...c, at: along(along(along(three(c.at), u, a.across), v, a.up), w, a.normal) }
}

/** The slice drawn so much wider about a place that stays where it is. */
export function zoomed(c: Cut, by: number, [u, v]: Place): Cut {
  const width = Math.min(WIDEST, Math.max(NARROWEST, c.width * by))
  const k = width / c.width
  return { ...moved(c, u * (1 - k), v * (1 - k)), width, height: width / ASPECT }
}

export const thicker = (c: Cut, by: number): Cut => ({
  ...c,
  thickness: Math.min(THICKEST, Math.max(THINNEST, c.thickness * by)),
})

/** An upright slice along a line that was drawn in a level one. */
export function upright(c: Cut, [u0, v0]: Place, [u1, v1]: Place): Cut | null {
  const a = axes(c)
  const line = along(along([0, 0, 0], u1 - u0, a.across), v1 - v0, a.up)
  const length = Math.hypot(line[0], line[1])
  if (length < NARROWEST) return null
  const middle = moved(c, (u0 + u1) / 2, (v0 + v1) / 2)
  const bearing = (Math.atan2(line[0], line[1]) / rad + 360) % 360
  return { ...middle, bearing, tilt: 90, width: length, height: length / ASPECT }
}

/** How far what was cut for one slice lies to the right and up in another of the same plane; none where they differ. */
export function between(shown: Cut, wanted: Cut): Place | null {
  if (shown.bearing !== wanted.bearing || shown.tilt !== wanted.tilt) return null
  const a = axes(wanted)
  const off = along(three(shown.at), -1, three(wanted.at))
  return Math.abs(dot(off, a.normal)) < 1e-9 ? [dot(off, a.across), dot(off, a.up)] : null
}

export const MARKS = ['●', '+', '×', '○']
/** The mark and colour of a scan by its place in the job: no two of the first sixteen are alike. */
export const lookOf = (n: number) => ({ mark: n % 4, colour: [INK, OCHRE, ACCENT, RED][(n + Math.floor(n / 4)) % 4]! })

/** Draws marks of one kind; `size` is half of it, pixels. */
export function drawMarks(g: CanvasRenderingContext2D, mark: number, places: Place[], size: number) {
  g.beginPath()
  for (const [x, y] of places) {
    if (mark === 0 || size < 1.4) g.rect(x - size * 0.7, y - size * 0.7, size * 1.4, size * 1.4)
    else if (mark === 1) cross(g, x, y, size, 0)
    else if (mark === 2) cross(g, x, y, 0.75 * size, 0.75 * size)
    else {
      g.moveTo(x + size, y)
      g.arc(x, y, size, 0, 7)
    }
  }
  if (mark === 0 || size < 1.4) g.fill()
  else g.stroke()
}

function cross(g: CanvasRenderingContext2D, x: number, y: number, a: number, b: number) {
  g.moveTo(x - a, y - b)
  g.lineTo(x + a, y + b)
  g.moveTo(x + b, y - a)
  g.lineTo(x - b, y + a)
}
