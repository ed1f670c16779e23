import { ACCENT, FAINT, INK, OCHRE, PAPER, RED } from '../lib/palette'
import { register as words } from '../words'

/** Where a slice is looked at: shift in pixels, and how much nearer than all of it. */
export interface View {
  x: number
  y: number
  zoom: number
}
/** What of a slice fills the picture, metres: lowest and highest of both axes. */
export type Window4 = [number, number, number, number]
export const WHOLE: View = { x: 0, y: 0, zoom: 1 }

const BORDER = 8

/** From so many to so many metres: what the middle 96 of 100 places cover, so that one far point stretches nothing. */
function span(all: number[]): [number, number] {
  const v = [...all].sort((x, y) => x - y)
  const at = (share: number) => v[Math.floor(share * (v.length - 1))] ?? 0
  return [at(0.02) - 0.5, at(0.98) + 0.5]
}

/** What of a slice is worth looking at: where both are, with a margin. Where one reaches much farther than the other,
 * what lies far from the smaller one is left to the wheel. */
export function windowOf(first: number[][], second: number[][]): Window4 {
  const of = (all: number[][]) => [...span(all.map((p) => p[0]!)), ...span(all.map((p) => p[1]!))] as Window4
  if (first.length === 0 || second.length === 0) return of([...first, ...second])
  const [a, b] = [of(first), of(second)]
  const size = (w: Window4) => Math.max(w[1] - w[0], w[3] - w[2])
  const small = size(a) < size(b) ? a : b
  const margin = size(small) * 0.6
  const cut = (k: number, worst: (...v: number[]) => number, by: number) => {
    const all = worst(a[k]!, b[k]!)
    const near = small[k]! + by
    return by < 0 ? Math.max(all, near) : Math.min(all, near)
  }
  return [cut(0, Math.min, -margin), cut(1, Math.max, margin), cut(2, Math.min, -margin), cut(3, Math.max, margin)]
}

/** A canvas made as large as it is shown, its paper laid. */
export function begin(c: HTMLCanvasElement): [CanvasRenderingContext2D, number, number] | null {
  const ratio = window.devicePixelRatio || 1
  const [w, h] = [c.clientWidth, c.clientHeight]
  c.width = w * ratio
  c.height = h * ratio
  const g = c.getContext('2d')
  if (!g) return null
  g.scale(ratio, ratio)
  g.fillStyle = PAPER
  g.fillRect(0, 0, w, h)
  return [g, w, h]
}

/** Pixels of a metre. */
export const scaleOf = ([x0, x1, y0, y1]: Window4, zoom: number, w: number, h: number) =>
  Math.min((w - 2 * BORDER) / (x1 - x0), (h - 2 * BORDER) / (y1 - y0)) * zoom

/** Two scans in one slice: the first in ink, the second in ochre, what cannot be ringed in red. */
export function draw(
  c: HTMLCanvasElement,
  data: { first: number[][]; second: number[][]; conflict: number[][] },
  at: { window: Window4; view: View; metres: number; unit: string },
) {
  const started = begin(c)
  if (!started || data.first.length + data.second.length === 0) return
  const [g, w, h] = started
  const [x0, x1, y0, y1] = at.window
  const scale = scaleOf(at.window, at.view.zoom, w, h)
  const to = (p: number[]) =>
    [w / 2 + (p[0]! - (x0 + x1) / 2) * scale + at.view.x, h / 2 - (p[1]! - (y0 + y1) / 2) * scale + at.view.y] as const
  const size = Math.min(3, Math.max(1.2, scale * 0.02))
  const dots = (points: number[][], colour: string) => {
    g.fillStyle = colour
    for (const p of points) {
      const [x, y] = to(p)
      g.fillRect(x - size / 2, y - size / 2, size, size)
    }
  }
  dots(data.first, INK)
  dots(data.second, OCHRE)
  g.strokeStyle = RED
  g.lineWidth = 1.2
  for (const p of data.conflict) {
    const [x, y] = to(p)
    g.beginPath()
    g.arc(x, y, 4, 0, 7)
    g.stroke()
  }
  scaleBar(g, h, scale * at.metres, at.unit)
}

/** A scale bar of a round length. */
export function scaleBar(g: CanvasRenderingContext2D, h: number, perUnit: number, unit: string) {
  const round = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50].findLast((l) => l * perUnit < 110) ?? 0.01
  g.fillStyle = ACCENT
  g.fillRect(BORDER, h - 10, round * perUnit, 2)
  g.fillStyle = FAINT
  g.font = words.n12pxSourceSans3
  g.fillText(`${round} ${unit}`, BORDER, h - 14)
}

/** The wheel goes nearer; it must not scroll the sheet, which only a listener that is not passive can say. */
export function onWheel(c: HTMLCanvasElement, zoom: (by: number, e: WheelEvent) => void) {
  const wheel = (e: WheelEvent) => {
    e.preventDefault()
    zoom(Math.exp(-e.deltaY * 0.002), e)
  }
  c.addEventListener('wheel', wheel, { passive: false })
  return () => c.removeEventListener('wheel', wheel)
}

/** A cross with its name where something was pointed at, on paper that keeps it readable. */
export function drawMark(g: CanvasRenderingContext2D, x: number, y: number, label: string, colour: string) {
  for (const [width, stroke] of [
    [4, PAPER],
    [1.6, colour],
  ] as const) {
    g.lineWidth = width
    g.strokeStyle = stroke
    g.beginPath()
    g.moveTo(x - 8, y)
    g.lineTo(x + 8, y)
    g.moveTo(x, y - 8)
    g.lineTo(x, y + 8)
    g.stroke()
  }
  g.font = words.n60013pxSourceSans
  g.lineWidth = 3
  g.strokeStyle = PAPER
  g.strokeText(label, x + 9, y - 7)
  g.fillStyle = colour
  g.fillText(label, x + 9, y - 7)
}
