import { useEffect, useRef, useState } from 'react'
import { useTheme } from '../../lib/settings'
import { useUnits } from '../../lib/units'
import { draw, onWheel, scaleOf, type View, WHOLE, type Window4, windowOf } from '../draw'
import { TITLES } from '../Slice'
import type { Shift } from './pose'
import type { Trial } from './useHand'
import { register as words } from '../../words'

type Cut = Trial['slices'][number]

/** The places of the second as they lie once it was moved. */
function moved(cut: Cut, shift: Shift): number[][] {
  const [c, s] = [Math.cos(shift.turn), Math.sin(shift.turn)]
  const [ax, ay] = shift.about
  const [dx, dy, dz] = shift.by
  if (cut.cut === 'plan')
    return cut.second.map(([x = 0, y = 0]) => [
      ax + dx + (x - ax) * c - (y - ay) * s,
      ay + dy + (x - ax) * s + (y - ay) * c,
    ])
  // which places a section goes through when it is turned is not known before it is cut again
  const along = cut.cut === 'along' ? dx : dy
  return cut.second.map(([x = 0, z = 0]) => [x + along, z + dz])
}

/** One slice in which the second scan is slid over the first by dragging: in the plan along and across, in a section
 * sideways and up. With Shift the plan turns it about its scanner; with Alt the picture is shifted. */
export function Laid(p: {
  cut: Cut
  shift: Shift
  /** Metres in the axes of the slice, since the last call; `fresh` at the beginning of a drag. */
  onSlide: (x: number, y: number, fresh: boolean) => void
  onTurn: (by: number, fresh: boolean) => void
}) {
  const u = useUnits()
  const theme = useTheme()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [view, setView] = useState<View>(WHOLE)
  // the picture stays while the scan is moved in it
  const [window4, setWindow] = useState<Window4>(() => windowOf(p.cut.first, p.cut.second))
  const fresh = useRef(true)
  const { cut, shift } = p
  useEffect(() => {
    const c = canvas.current
    const still = shift.turn === 0 && shift.by.every((v) => v === 0)
    if (c)
      draw(
        c,
        { first: cut.first, second: moved(cut, shift), conflict: still ? cut.conflict : [] },
        { window: window4, view, metres: u.metres, unit: u.code },
      )
  }, [cut, shift, view, window4, theme, u.metres, u.code])
  useEffect(() => {
    const c = canvas.current
    return c
      ? onWheel(c, (by) => setView((v) => ({ ...v, zoom: Math.min(200, Math.max(0.3, v.zoom * by)) })))
      : undefined
  }, [])
  const drag = (e: React.PointerEvent<HTMLCanvasElement>) => {
    const c = e.currentTarget
    if (!e.buttons) return
    const scale = scaleOf(window4, view.zoom, c.clientWidth, c.clientHeight)
    if (e.altKey || e.buttons === 4) {
      setView((v) => ({ ...v, x: v.x + e.movementX, y: v.y + e.movementY }))
    } else if (e.shiftKey && cut.cut === 'plan') {
      // about the second's own scanner, as far as the pointer goes round it
      const box = c.getBoundingClientRect()
      const cx =
        box.left + c.clientWidth / 2 + (shift.about[0] + shift.by[0] - (window4[0] + window4[1]) / 2) * scale + view.x
      const cy =
        box.top + c.clientHeight / 2 - (shift.about[1] + shift.by[1] - (window4[2] + window4[3]) / 2) * scale + view.y
      const angle = (x: number, y: number) => Math.atan2(cy - y, x - cx)
      const by = angle(e.clientX, e.clientY) - angle(e.clientX - e.movementX, e.clientY - e.movementY)
      p.onTurn(Math.atan2(Math.sin(by), Math.cos(by)), fresh.current)
      fresh.current = false
    } else {
      p.onSlide(e.movementX / scale, -e.movementY / scale, fresh.current)
      fresh.current = false
    }
  }
  return (
    <figure className="laid">
      <figcaption>{TITLES[cut.cut]}</figcaption>
      <canvas
        ref={canvas}
        role="img"
        aria-label={words.dragTheOchreScan(TITLES[cut.cut])}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          fresh.current = true
        }}
        onPointerMove={drag}
        onDoubleClick={() => {
          setView(WHOLE)
          setWindow(windowOf(cut.first, moved(cut, shift)))
        }}
      />
    </figure>
  )
}
