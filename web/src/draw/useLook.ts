import { type RefObject, useEffect, useState } from 'react'
import { useLatest } from '../lib/hooks'
import { useTheme } from '../lib/settings'
import { onWheel } from '../register/draw'
import type { Place } from './drawn'
import type { Look } from './paint'

const FIRST: Look = { at: [0, 0], metres: 0.02 }

/** Where a canvas is looked at: at first all of a box, then where it is dragged and the wheel goes. */
export function useLook(canvas: RefObject<HTMLCanvasElement | null>, box: [number, number, number, number] | null) {
  const theme = useTheme()
  const [asked, setLook] = useState<Look | null>(null)
  const [size, setSize] = useState<[number, number]>([800, 500])
  useEffect(() => {
    const c = canvas.current
    if (!c) return undefined
    const watch = new ResizeObserver(() => setSize([c.clientWidth, c.clientHeight]))
    watch.observe(c)
    return () => watch.disconnect()
  }, [canvas])
  const [width, height] = size
  const whole: Look | null = box && {
    at: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2],
    metres: Math.max((box[2] - box[0] + 1) / width, (box[3] - box[1] + 1) / height, 0.0005),
  }
  const look = asked ?? whole ?? FIRST
  const place = (e: { clientX: number; clientY: number }): Place => {
    const r = canvas.current!.getBoundingClientRect()
    return [
      look.at[0] + (e.clientX - r.left - r.width / 2) * look.metres,
      look.at[1] - (e.clientY - r.top - r.height / 2) * look.metres,
    ]
  }
  const last = useLatest({ look, place })
  useEffect(() => {
    const c = canvas.current
    if (!c) return undefined
    return onWheel(c, (by, e) => {
      const { look, place } = last.current
      const about = place(e)
      const metres = Math.min(5, Math.max(0.0002, look.metres / by))
      const k = metres / look.metres
      setLook({ metres, at: [about[0] + (look.at[0] - about[0]) * k, about[1] + (look.at[1] - about[1]) * k] })
    })
  }, [canvas, last, theme])
  return { look, setLook, place }
}

/** What a key does to where the paper is looked at. */
export function keyed(v: Look, key: string): Look | null {
  const step = 80 * v.metres
  const to = (x: number, y: number): Look => ({ ...v, at: [v.at[0] + x, v.at[1] + y] })
  switch (key) {
    case 'ArrowLeft':
      return to(-step, 0)
    case 'ArrowRight':
      return to(step, 0)
    case 'ArrowUp':
      return to(0, step)
    case 'ArrowDown':
      return to(0, -step)
    case '+':
      return { ...v, metres: v.metres / 1.5 }
    case '-':
      return { ...v, metres: v.metres * 1.5 }
    default:
      return null
  }
}
