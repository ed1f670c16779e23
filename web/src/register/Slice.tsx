import { useEffect, useRef, useState } from 'react'
import { num } from '../lib/format'
import { useTheme } from '../lib/settings'
import { useUnits } from '../lib/units'
import { draw, onWheel, type View, WHOLE, windowOf } from './draw'
import type { TieCardData } from './useTies'
import { register as words } from '../words'

type Data = TieCardData['slices'][number]

export const TITLES = { plan: words.plan, along: words.sectionAlongTheWalls, across: words.sectionAcross } as const

/** Both scans of a tie in one thin slice: the first in ink, the second in ochre, what cannot be ringed in red.
 * The wheel goes nearer, dragging shifts. */
export function Slice({ data, a, b }: { data: Data; a: string; b: string }) {
  const u = useUnits()
  const theme = useTheme()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [view, setView] = useState<View>(WHOLE)
  useEffect(() => {
    const c = canvas.current
    if (c) draw(c, data, { window: windowOf(data.first, data.second), view, metres: u.metres, unit: u.code })
  }, [data, view, theme, u.metres, u.code])
  useEffect(() => {
    const c = canvas.current
    return c ? onWheel(c, (by) => setView((v) => ({ ...v, zoom: Math.min(200, Math.max(1, v.zoom * by)) }))) : undefined
  }, [])
  const where =
    data.cut === 'plan'
      ? words.theScannerOf(u.len(Math.abs(data.at), 2), u.code, data.at < 0 ? words.below : words.above, a)
      : words.besideIt(u.len(Math.abs(data.at), 2), u.code)
  const apart =
    data.offset == null ? words.nothingSharedHere : `apart ${u.within(data.offset, data.offset95)} ${u.small} (95 %)`
  const contrary = data.conflict.length
  return (
    <figure className="slice">
      <figcaption>
        {TITLES[data.cut]}, {where} <b>{apart}</b>
      </figcaption>
      <canvas
        ref={canvas}
        role="img"
        aria-label={words.throughAndPlacesContradict(TITLES[data.cut], a, b, apart, contrary)}
        onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
        onPointerMove={(e) => {
          if (e.buttons) setView((v) => ({ ...v, x: v.x + e.movementX, y: v.y + e.movementY }))
        }}
        onDoubleClick={() => setView(WHOLE)}
      />
      {contrary > 0 && (
        <span className="bad">
          {words.inThisSliceWhere(num(contrary, 0), contrary === 1 ? words.place : words.places)}
        </span>
      )}
    </figure>
  )
}
