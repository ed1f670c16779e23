import { ACCENT, FAINT, HALO, INK, OCHRE, PAPER, RED } from '../lib/palette'
import type { Units } from '../lib/units'
import { begin, scaleBar } from '../register/draw'
import { type Drawn, ends, kindOf, lengthOf, type Place } from './drawn'

/** Where the paper is looked at: its middle on the grid, and metres a pixel. */
export interface Look {
  at: Place
  metres: number
}
export const toPaper =
  ({ at, metres }: Look, w: number, h: number) =>
  (p: Place): Place => [w / 2 + (p[0] - at[0]) / metres, h / 2 - (p[1] - at[1]) / metres]

/** Lines that are longer on the screen than this have their length written to them, pixels. */
const WRITTEN = 90

interface Painted {
  items: Drawn[]
  cloud: Place[]
  selected: string[]
  look: Look
  /** A line on its way. */
  line: Place[]
  hold: Place | null
}

const DASHES: Record<string, number[]> = { opening: [2, 3], unseen: [7, 5] }

/** The plan on its paper: what is agreed with strong, what the program found and nobody agreed with yet thin, with open
 * ends. */
export function paint(c: HTMLCanvasElement, p: Painted, u: Units) {
  const started = begin(c)
  if (!started) return
  const [g, w, h] = started
  const to = toPaper(p.look, w, h)
  const seen = ([x, y]: Place) => x > -20 && y > -20 && x < w + 20 && y < h + 20
  g.fillStyle = FAINT
  g.globalAlpha = 0.5
  for (const q of p.cloud) {
    const [x, y] = to(q)
    if (x > 0 && y > 0 && x < w && y < h) g.fillRect(x - 0.6, y - 0.6, 1.2, 1.2)
  }
  g.globalAlpha = 1
  for (const d of [...p.items].sort((a, b) => rank(a) - rank(b))) {
    const kind = kindOf(d)
    const on = p.selected.includes(d.id)
    g.strokeStyle = on ? HALO : colour(kind)
    g.lineWidth = (on ? 2 : 0) + (d.data.found ? 1 : 2.4) * (kind === 'low' || kind === 'unseen' ? 0.6 : 1)
    g.setLineDash(DASHES[kind] ?? [])
    const e = ends(d)
    if (e) {
      const [a, b] = [to(e[0]), to(e[1])]
      g.beginPath()
      g.moveTo(...a)
      g.lineTo(...b)
      g.stroke()
      g.setLineDash([])
      if (d.data.found && d.kind === 'line') for (const q of [a, b]) if (seen(q)) openEnd(g, q)
      if (on && d.kind === 'line') for (const q of [a, b]) handle(g, q)
      if (kind === 'wall' && lengthOf(d) / p.look.metres > WRITTEN) said(g, a, b, u.len(lengthOf(d), 3), on)
    }
    if (d.kind === 'column' && d.data.position) {
      const [x, y] = to(d.data.position as Place)
      g.beginPath()
      g.arc(x, y, Math.max(2, (d.data.radius ?? 0.1) / p.look.metres), 0, 7)
      g.stroke()
    }
    g.setLineDash([])
    if (d.kind === 'thickness' && d.data.position && p.look.metres < 0.03) {
      const [x, y] = to(d.data.position as Place)
      g.fillStyle = ACCENT
      g.textAlign = 'center'
      g.fillText(u.len(d.data.thickness, 3), x, y + 4)
    }
  }
  way(g, p, to)
  g.textAlign = 'start'
  scaleBar(g, h, u.metres / p.look.metres, u.code)
}

const rank = (d: Drawn) => ['unseen', 'opening', 'low', 'column', 'wall', 'thickness'].indexOf(kindOf(d))
const colour = (kind: string) =>
  ({ unseen: RED, opening: ACCENT, thickness: ACCENT, low: FAINT })[kind as 'unseen'] ?? INK

function openEnd(g: CanvasRenderingContext2D, [x, y]: Place) {
  g.lineWidth = 1
  g.fillStyle = PAPER
  g.strokeStyle = OCHRE
  g.beginPath()
  g.rect(x - 2.5, y - 2.5, 5, 5)
  g.fill()
  g.stroke()
}

function handle(g: CanvasRenderingContext2D, [x, y]: Place) {
  g.fillStyle = PAPER
  g.strokeStyle = HALO
  g.lineWidth = 2
  g.beginPath()
  g.arc(x, y, 6, 0, 7)
  g.fill()
  g.stroke()
}

/** How long a wall is, beside its middle. */
function said(g: CanvasRenderingContext2D, a: Place, b: Place, text: string, on: boolean) {
  let turn = Math.atan2(b[1] - a[1], b[0] - a[0])
  if (turn > Math.PI / 2 || turn <= -Math.PI / 2) turn -= Math.PI * Math.sign(turn)
  g.save()
  g.translate((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
  g.rotate(turn)
  g.textAlign = 'center'
  g.lineWidth = 3
  g.strokeStyle = PAPER
  g.strokeText(text, 0, -6)
  g.fillStyle = on ? HALO : FAINT
  g.fillText(text, 0, -6)
  g.restore()
}

/** What is being drawn, and what it holds to. */
function way(g: CanvasRenderingContext2D, p: Painted, to: (q: Place) => Place) {
  g.strokeStyle = HALO
  g.lineWidth = 2
  if (p.line.length > 0) {
    g.beginPath()
    p.line.forEach((q, k) => (k === 0 ? g.moveTo(...to(q)) : g.lineTo(...to(q))))
    if (p.hold) g.lineTo(...to(p.hold))
    g.stroke()
  }
  if (p.hold) {
    const [x, y] = to(p.hold)
    g.beginPath()
    g.moveTo(x - 6, y)
    g.lineTo(x + 6, y)
    g.moveTo(x, y - 6)
    g.lineTo(x, y + 6)
    g.stroke()
  }
}
