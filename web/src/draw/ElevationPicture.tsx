import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { FAINT, HALO, INK, PAPER } from '../lib/palette'
import { type Units, useUnits } from '../lib/units'
import { begin, scaleBar } from '../register/draw'
import { draw as words } from '../words'
import type { Schema } from '../api/client'
import type { Place } from './drawn'
import { between } from './elevation'
import { type Look, toPaper } from './paint'
import { keyed, useLook } from './useLook'

type CutLine = Schema['CutLine']

interface Props {
  /** Address of the picture. */
  source: string
  /** Width, lowest and highest, metres. */
  width: number
  heights: [number, number]
  name: string
  error95: number
  /** What the plane cuts. */
  cut: CutLine[]
}

/** The picture of an elevation: looked at, measured in. Across from its left end, up in heights of the grid. */
export function ElevationPicture(p: Props) {
  const u = useUnits()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [image, setImage] = useState<HTMLImageElement | null>(null)
  const [line, setLine] = useState<Place[]>([])
  const [hold, setHold] = useState<Place | null>(null)
  const went = useRef(0)
  const [low, high] = p.heights
  const { look, setLook, place } = useLook(canvas, [-0.07 * p.width, low, 1.01 * p.width, high])
  useEffect(() => {
    const img = new Image()
    img.onload = () => setImage(img)
    img.src = p.source
    return () => {
      img.onload = null
    }
  }, [p.source])
  const shown = line.length === 1 && hold ? [...line, hold] : line
  useEffect(() => {
    const c = canvas.current
    if (c) paint(c, p, image, look, shown, u)
  })
  const act = (e: PointerEvent) => {
    if (went.current > 4) return
    setLine(line.length === 1 ? [...line, place(e)] : [place(e)])
    setHold(null)
  }
  const [a, b] = shown
  const said = a && b ? between([a, b]) : null
  return (
    <figure>
      <canvas
        ref={canvas}
        className="draw-paper line"
        role="application"
        tabIndex={0}
        aria-label={words.pictureOf(p.name)}
        data-ready={image ? 'yes' : 'no'}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          went.current = 0
        }}
        onPointerMove={(e) => {
          if (!e.buttons) return line.length === 1 ? setHold(place(e)) : undefined
          went.current += Math.abs(e.movementX) + Math.abs(e.movementY)
          if (went.current > 4)
            setLook({ ...look, at: [look.at[0] - e.movementX * look.metres, look.at[1] + e.movementY * look.metres] })
        }}
        onPointerUp={act}
        onKeyDown={(e) => {
          if (e.key === 'Escape') setLine([])
          const v = keyed(look, e.key)
          if (!v) return
          e.preventDefault()
          setLook(v)
        }}
      />
      <figcaption className={said ? 'told' : 'faint'}>
        {said
          ? words.measured(
              u.len(said.long, 3),
              u.len(said.across, 3),
              u.len(said.up, 3),
              u.code,
              u.err(p.error95),
              u.small,
            )
          : words.pictureHint}
      </figcaption>
    </figure>
  )
}

const STEPS = [0.5, 1, 2, 5, 10, 20, 50]

function paint(c: HTMLCanvasElement, p: Props, image: HTMLImageElement | null, look: Look, line: Place[], u: Units) {
  const started = begin(c)
  if (!started) return
  const [g, w, h] = started
  const to = toPaper(look, w, h)
  const [low, high] = p.heights
  const [x0, y0] = to([0, high])
  const [x1, y1] = to([p.width, low])
  if (image) {
    g.imageSmoothingEnabled = (x1 - x0) / image.width < 3
    g.drawImage(image, x0, y0, x1 - x0, y1 - y0)
  }
  for (const [width, colour] of [
    [4.5, PAPER],
    [2, INK],
  ] as const) {
    g.strokeStyle = colour
    g.lineWidth = width
    g.beginPath()
    for (const l of p.cut) {
      const [a, b] = l.ends as [Place, Place]
      g.moveTo(...to(a))
      g.lineTo(...to(b))
    }
    g.stroke()
  }
  g.strokeStyle = FAINT
  g.lineWidth = 0.8
  g.strokeRect(x0, y0, x1 - x0, y1 - y0)
  g.fillStyle = FAINT
  const step = u.metres * (STEPS.find((s) => (s * u.metres) / look.metres > 36) ?? 100)
  for (let n = Math.ceil(low / step); n * step <= high; n++) {
    const [, y] = to([0, n * step])
    g.fillRect(x0 - 6, y - 0.5, 6, 1)
    g.textAlign = 'end'
    g.fillText(u.len(n * step, 1), Math.max(40, x0 - 9), y + 4)
  }
  g.textAlign = 'start'
  if (line.length > 0) {
    for (const [width, colour] of [
      [5, PAPER],
      [2.5, HALO],
    ] as const) {
      g.strokeStyle = colour
      g.lineWidth = width
      g.beginPath()
      line.map(to).forEach((q, k) => {
        if (k === 0) g.moveTo(...q)
        else g.lineTo(...q)
        g.moveTo(q[0] - 6, q[1])
        g.lineTo(q[0] + 6, q[1])
        g.moveTo(q[0], q[1] - 6)
        g.lineTo(q[0], q[1] + 6)
        g.moveTo(...q)
      })
      g.stroke()
    }
  }
  scaleBar(g, h, u.metres / look.metres, u.code)
}
