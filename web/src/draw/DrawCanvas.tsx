import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { useUnits } from '../lib/units'
import { draw as words } from '../words'
import { type Drawn, ends, far, nearestOn, type Place, snap } from './drawn'
import { paint } from './paint'
import { boxOf } from './useDrawing'
import { keyed, useLook } from './useLook'

export type Tool = 'pick' | 'line' | 'opening' | 'split'
/** So near is meant, pixels. */
const NEAR = 9
const HOLDS = 10

type Drag = { what: 'paper' } | { what: 'end'; end: 0 | 1; of: Drawn }

interface Props {
  items: Drawn[]
  cloud: Place[]
  tool: Tool
  editable: boolean
  selected: string[]
  onSelect: (ids: string[]) => void
  onDrawn: (line: [Place, Place]) => void
  onSplit: (d: Drawn, at: Place) => void
  onMoveEnd: (d: Drawn, end: 0 | 1, to: Place) => void
}

/** The plan on its paper: looked at, picked from, drawn on. */
export function DrawCanvas(p: Props) {
  const u = useUnits()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [line, setLine] = useState<Place[]>([])
  const [hold, setHold] = useState<Place | null>(null)
  const drag = useRef<Drag | null>(null)
  const went = useRef(0)
  const { look, setLook, place } = useLook(canvas, boxOf(p.items))
  useEffect(() => {
    const c = canvas.current
    if (c) paint(c, { ...p, line, hold, look }, u)
  })
  const { metres } = look
  const held = (e: PointerEvent, not?: string) => snap(place(e), HOLDS * metres, p.items, p.cloud, not)
  const picked = (at: Place) => hit(p.items, at, NEAR * metres)
  const down = (e: PointerEvent<HTMLCanvasElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId)
    went.current = 0
    const at = place(e)
    const one = p.items.find((d) => p.selected.length === 1 && d.id === p.selected[0] && d.kind === 'line')
    const e2 = one && ends(one)
    const end = e2?.findIndex((q) => far(q, at) < NEAR * metres) ?? -1
    const held = p.tool === 'pick' && p.editable && one && end >= 0
    drag.current = held ? { what: 'end', end: end as 0 | 1, of: one } : { what: 'paper' }
  }
  const move = (e: PointerEvent<HTMLCanvasElement>) => {
    const d = drag.current
    if (e.buttons && d?.what === 'paper') {
      went.current += Math.abs(e.movementX) + Math.abs(e.movementY)
      if (went.current > 4)
        setLook({ ...look, at: [look.at[0] - e.movementX * metres, look.at[1] + e.movementY * metres] })
    } else if (e.buttons && d?.what === 'end') {
      went.current += 1
      const other = ends(d.of)![1 - d.end]!
      setLine([other])
      setHold(held(e, d.of.id))
    } else if (p.tool === 'line' || p.tool === 'opening') setHold(held(e))
  }
  const up = (e: PointerEvent<HTMLCanvasElement>) => {
    const d = drag.current
    drag.current = null
    if (d?.what === 'end') {
      if (went.current > 0) p.onMoveEnd(d.of, d.end, held(e, d.of.id))
      setLine([])
      setHold(null)
      return
    }
    if (went.current > 4) return
    act(e)
  }
  const act = (e: PointerEvent) => {
    if (p.tool === 'line' || p.tool === 'opening') {
      const at = held(e)
      const [from] = line
      if (!from) return setLine([at])
      if (far(from, at) > 0.01) p.onDrawn([from, at])
      setLine([])
      return
    }
    const d = picked(place(e))
    if (p.tool === 'split') {
      if (d?.kind === 'line') p.onSplit(d, place(e))
      return
    }
    if (!d) return p.onSelect([])
    const more = e.shiftKey || e.ctrlKey || e.metaKey
    p.onSelect(more ? [...p.selected.filter((s) => s !== d.id), d.id] : [d.id])
  }
  return (
    <canvas
      ref={canvas}
      className={`draw-paper ${p.tool}`}
      role="application"
      tabIndex={0}
      aria-label={words.plan}
      data-look={`${look.at[0]} ${look.at[1]} ${look.metres}`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onKeyDown={(e) => {
        if (e.key === 'Escape' || e.key.length === 1) {
          setLine([])
          setHold(null)
        }
        const v = keyed(look, e.key)
        if (!v) return
        e.preventDefault()
        setLook(v)
      }}
    />
  )
}

/** What lies at a place. */
function hit(items: Drawn[], at: Place, reach: number): Drawn | undefined {
  const off = (d: Drawn) => {
    const e = ends(d)
    if (e) return nearestOn(e, at).off
    if (!d.data.position) return Infinity
    const away = far(d.data.position as Place, at)
    return d.kind === 'column' ? Math.abs(away - (d.data.radius ?? 0)) : away
  }
  // lines before what lies under them
  const [first] = items
    .map((d) => ({ d, off: off(d) + (d.kind === 'line' ? 0 : reach / 3) }))
    .filter((c) => c.off < reach)
    .sort((a, b) => a.off - b.off)
  return first?.d
}
