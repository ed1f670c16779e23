import { useEffect, useRef, useState } from 'react'
import { num } from '../lib/format'
import { ACCENT, FAINT, INK, OCHRE, PAPER, RED } from '../lib/palette'
import { useTheme } from '../lib/settings'
import { useUnits } from '../lib/units'
import type { TieCardData } from './useTies'

type Data = TieCardData['slices'][number]

const TITLES = { plan: 'Plan', along: 'Section along the walls', across: 'Section across' } as const
const BORDER = 8

/** Both scans of a tie in one thin slice: the first in ink, the second in ochre, what cannot be ringed in red.
 * The wheel goes nearer, dragging shifts. */
export function Slice({ data, a, b }: { data: Data; a: string; b: string }) {
  const u = useUnits()
  const theme = useTheme()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [view, setView] = useState({ x: 0, y: 0, zoom: 1 })
  useEffect(() => {
    const c = canvas.current
    if (c) draw(c, data, view, u.metres, u.code)
  }, [data, view, theme, u.metres, u.code])
  useEffect(() => {
    const c = canvas.current
    if (!c) return
    // a wheel that zooms must not scroll the sheet, which only a listener that is not passive can say
    const wheel = (e: WheelEvent) => {
      e.preventDefault()
      const by = Math.exp(-e.deltaY * 0.002)
      setView((v) => ({ ...v, zoom: Math.min(200, Math.max(1, v.zoom * by)) }))
    }
    c.addEventListener('wheel', wheel, { passive: false })
    return () => c.removeEventListener('wheel', wheel)
  }, [])
  const where =
    data.cut === 'plan'
      ? `${u.len(Math.abs(data.at), 2)} ${u.code} ${data.at < 0 ? 'below' : 'above'} the scanner of ${a}`
      : `${u.len(Math.abs(data.at), 2)} ${u.code} beside it`
  const apart =
    data.offset == null
      ? 'nothing shared here'
      : `apart ${u.err(data.offset)} ± ${u.err(data.offset95)} ${u.small} (median, 95 %)`
  const contrary = data.conflict.length
  return (
    <figure className="slice">
      <figcaption>
        {TITLES[data.cut]}, {where} <b>{apart}</b>
      </figcaption>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${TITLES[data.cut]} through ${a} and ${b}: ${apart}; ${contrary} places contradict`}
        onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
        onPointerMove={(e) => {
          if (e.buttons) setView((v) => ({ ...v, x: v.x + e.movementX, y: v.y + e.movementY }))
        }}
        onDoubleClick={() => setView({ x: 0, y: 0, zoom: 1 })}
      />
      {contrary > 0 && (
        <span className="bad">
          {num(contrary, 0)} {contrary === 1 ? 'place' : 'places'} in this slice where the other scan saw through
        </span>
      )}
    </figure>
  )
}

/** From so many to so many metres: what the middle 96 of 100 places cover, so that one far point stretches nothing. */
function span(all: number[]): [number, number] {
  const v = [...all].sort((x, y) => x - y)
  const at = (share: number) => v[Math.floor(share * (v.length - 1))] ?? 0
  return [at(0.02) - 0.5, at(0.98) + 0.5]
}

function draw(
  c: HTMLCanvasElement,
  data: Data,
  view: { x: number; y: number; zoom: number },
  metres: number,
  unit: string,
) {
  const ratio = window.devicePixelRatio || 1
  const [w, h] = [c.clientWidth, c.clientHeight]
  c.width = w * ratio
  c.height = h * ratio
  const g = c.getContext('2d')
  if (!g) return
  g.scale(ratio, ratio)
  g.fillStyle = PAPER
  g.fillRect(0, 0, w, h)
  const all = [...data.first, ...data.second]
  if (all.length === 0) return
  const [x0, x1] = span(all.map((p) => p[0]!))
  const [y0, y1] = span(all.map((p) => p[1]!))
  const scale = Math.min((w - 2 * BORDER) / (x1 - x0), (h - 2 * BORDER) / (y1 - y0)) * view.zoom
  const to = (p: number[]) =>
    [w / 2 + (p[0]! - (x0 + x1) / 2) * scale + view.x, h / 2 - (p[1]! - (y0 + y1) / 2) * scale + view.y] as const
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
  bar(g, FAINT, ACCENT, h, scale * metres, unit)
}

/** A scale bar of a round length. */
function bar(g: CanvasRenderingContext2D, faint: string, accent: string, h: number, perUnit: number, unit: string) {
  const round = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50].findLast((l) => l * perUnit < 110) ?? 0.01
  g.fillStyle = accent
  g.fillRect(BORDER, h - 10, round * perUnit, 2)
  g.fillStyle = faint
  g.font = "12px 'Source Sans 3', sans-serif"
  g.fillText(`${round} ${unit}`, BORDER, h - 14)
}
