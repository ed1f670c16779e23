import { useCallback, useEffect, useRef, useState } from 'react'
import { ACCENT, RED } from '../lib/palette'
import { useTheme } from '../lib/settings'
import { begin, drawMark, onWheel } from '../register/draw'
import { check as words } from '../words'

type Two = [number, number]
interface Mark {
  pixel: number[]
  label: string
  wrong: boolean
}
/** What of the photograph is in the middle, pixels of it, and how many pixels of the screen one of its is. */
interface Eye {
  at: Two
  scale: number | null
}

/** A photograph to point at: dragging shifts, the wheel goes nearer, a click points. */
export function PhotoCanvas(p: {
  url: string
  name: string
  size: Two
  marks: Mark[]
  /** A pick whose place in the cloud is not clicked yet. */
  waiting: Two | null
  masks: number[][]
  masking: boolean
  onPoint: (pixel: Two) => void
  onMask: (m: number[]) => void
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const theme = useTheme()
  const [image, setImage] = useState<HTMLImageElement | null>(null)
  const [eye, setEye] = useState<Eye>({ at: [p.size[0] / 2, p.size[1] / 2], scale: null })
  const [from, setFrom] = useState<[Two, Two] | null>(null)
  const far = useRef(0)
  useEffect(() => {
    const i = new Image()
    i.onload = () => setImage(i)
    i.src = p.url
    return () => {
      i.onload = null
    }
  }, [p.url])
  const [width, height] = p.size
  const scaleOf = useCallback(
    (c: HTMLCanvasElement) => eye.scale ?? Math.min(c.clientWidth / width, c.clientHeight / height),
    [eye.scale, width, height],
  )
  useEffect(() => {
    const c = canvas.current
    const started = c && begin(c)
    if (!started) return
    const [g, w, h] = started
    const k = scaleOf(c)
    const to = ([x = 0, y = 0]: number[]): Two => [w / 2 + (x - eye.at[0]) * k, h / 2 + (y - eye.at[1]) * k]
    if (image) g.drawImage(image, ...to([0, 0]), p.size[0] * k, p.size[1] * k)
    for (const m of from ? [...p.masks, [...from[0], ...from[1]]] : p.masks) {
      const [a, b] = [to(m.slice(0, 2)), to(m.slice(2, 4))]
      g.fillStyle = `${RED}66`
      g.fillRect(a[0], a[1], b[0] - a[0], b[1] - a[1])
    }
    for (const m of p.marks) drawMark(g, ...to(m.pixel), m.label, m.wrong ? RED : ACCENT)
    if (p.waiting) drawMark(g, ...to(p.waiting), words.waiting, ACCENT)
  }, [image, eye, from, p.marks, p.waiting, p.masks, p.size, theme, scaleOf])
  const at = (c: HTMLCanvasElement, e: { clientX: number; clientY: number }): Two => {
    const box = c.getBoundingClientRect()
    const k = scaleOf(c)
    return [
      eye.at[0] + (e.clientX - box.left - box.width / 2) / k,
      eye.at[1] + (e.clientY - box.top - box.height / 2) / k,
    ]
  }
  useEffect(() => {
    const c = canvas.current
    if (!c) return undefined
    return onWheel(c, (by) =>
      setEye((v) => {
        const fit = Math.min(c.clientWidth / p.size[0], c.clientHeight / p.size[1])
        return { ...v, scale: Math.min(8, Math.max(fit, (v.scale ?? fit) * by)) }
      }),
    )
  }, [p.size])
  return (
    <figure className="panorama">
      <figcaption>{words.pixels(...p.size)}</figcaption>
      <canvas
        ref={canvas}
        role="img"
        aria-label={words.photographOf(p.name)}
        className={p.masking ? 'section' : ''}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          far.current = 0
          if (p.masking) setFrom([at(e.currentTarget, e), at(e.currentTarget, e)])
        }}
        onPointerMove={(e) => {
          if (!e.buttons) return
          far.current += Math.abs(e.movementX) + Math.abs(e.movementY)
          if (from) return setFrom([from[0], at(e.currentTarget, e)])
          const k = scaleOf(e.currentTarget)
          setEye((v) => ({ ...v, at: [v.at[0] - e.movementX / k, v.at[1] - e.movementY / k] }))
        }}
        onPointerUp={(e) => {
          const here = at(e.currentTarget, e)
          if (from) {
            const [a, b] = [from[0], here]
            setFrom(null)
            p.onMask([Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1])])
          } else if (far.current < 4) p.onPoint(here)
        }}
      />
    </figure>
  )
}
