import { useEffect, useRef, useState } from 'react'
import { ACCENT, RED } from '../../lib/palette'
import { useTheme } from '../../lib/settings'
import { begin, drawMark, onWheel } from '../draw'
import { direction, onPanorama } from './pose'
import { register as words } from '../../words'

/** Something marked in a panorama: where, seen from its scanner, and what it is called. */
export interface Mark {
  at: number[]
  label: string
  wrong: boolean
}

interface Eye {
  /** What is in the middle: shares of width and height. */
  u: number
  v: number
  /** Pixels of the screen to the whole width, over the width of the canvas. */
  zoom: number
}

/** What a scanner saw all round, to point at: dragging turns, the wheel goes nearer, a click points. */
export function Panorama(p: {
  url: string
  name: string
  marks: Mark[]
  says?: string
  onPoint: (direction: [number, number, number]) => void
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const theme = useTheme()
  const [image, setImage] = useState<HTMLImageElement | null>(null)
  const [failed, setFailed] = useState(false)
  const [eye, setEye] = useState<Eye>({ u: 0.5, v: 0.5, zoom: 1.6 })
  const far = useRef(0)
  useEffect(() => {
    const i = new Image()
    i.onload = () => setImage(i)
    i.onerror = () => setFailed(true)
    i.src = p.url
    return () => {
      i.onload = i.onerror = null
    }
  }, [p.url])
  const { marks } = p
  useEffect(() => {
    const c = canvas.current
    const started = c && begin(c)
    if (!started || !image) return
    const [g, w, h] = started
    const whole = w * eye.zoom
    for (const turn of [-1, 0, 1]) {
      const left = w / 2 + (turn - eye.u) * whole
      if (left >= w || left + whole <= 0) continue
      // its columns run with the azimuth, which is to the left for who stands within
      g.save()
      g.translate(left + whole, h / 2 - (eye.v * whole) / 2)
      g.scale(-1, 1)
      g.drawImage(image, 0, 0, whole, whole / 2)
      g.restore()
    }
    for (const m of marks) {
      const [u, v] = onPanorama(m.at)
      const y = h / 2 + ((v - eye.v) * whole) / 2
      for (const turn of [-1, 0, 1]) {
        const x = w / 2 + (u + turn - eye.u) * whole
        if (x < -20 || x > w + 20) continue
        drawMark(g, x, y, m.label, m.wrong ? RED : ACCENT)
      }
    }
  }, [image, eye, marks, theme])
  useEffect(() => {
    const c = canvas.current
    return c ? onWheel(c, (by) => setEye((e) => ({ ...e, zoom: Math.min(24, Math.max(1, e.zoom * by)) }))) : undefined
  }, [])
  const seen = (c: HTMLCanvasElement, x: number, y: number) => {
    const whole = c.clientWidth * eye.zoom
    return direction(eye.u + (x - c.clientWidth / 2) / whole, eye.v + (2 * (y - c.clientHeight / 2)) / whole)
  }
  return (
    <figure className="panorama">
      <figcaption>{p.name}</figcaption>
      {failed && <p className="warn">{words.thePanoramaCouldNot}</p>}
      <canvas
        ref={canvas}
        role="img"
        aria-label={words.panoramaOf(p.name, p.says ?? words.clickTheSameThings)}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          far.current = 0
        }}
        onPointerMove={(e) => {
          if (!e.buttons) return
          far.current += Math.abs(e.movementX) + Math.abs(e.movementY)
          const whole = e.currentTarget.clientWidth * eye.zoom
          setEye((v) => ({
            ...v,
            u: v.u - e.movementX / whole,
            v: Math.min(0.9, Math.max(0.1, v.v - (2 * e.movementY) / whole)),
          }))
        }}
        onPointerUp={(e) => {
          const box = e.currentTarget.getBoundingClientRect()
          // a click, not a drag
          if (far.current < 4) p.onPoint(seen(e.currentTarget, e.clientX - box.left, e.clientY - box.top))
        }}
      />
    </figure>
  )
}
