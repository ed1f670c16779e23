import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { useUnits } from '../lib/units'
import { draw as words } from '../words'
import { type Drawn, far, type Place } from './drawn'
import { cornersOf, type GroundKind, groundAt } from './ground'
import { type GroundPicture, paintGround } from './paintGround'
import { keyed, useLook } from './useLook'

export type GroundTool = 'pick' | GroundKind
/** So near is meant, pixels. */
const NEAR = 9

interface Props extends Omit<GroundPicture, 'look' | 'way' | 'hold'> {
  tool: GroundTool
  /** What it is called where it is not the ground alone. */
  label?: string
  editable: boolean
  onSelect: (id: string | null) => void
  onDrawn: (kind: GroundKind, corners: Place[]) => void
  onMoveCorner: (d: Drawn, k: number, to: Place) => void
}

type Drag = { corner: number; of: Drawn } | 'paper' | null

/** The ground from above: looked at, picked from, drawn on. */
export function GroundCanvas(p: Props) {
  const u = useUnits()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [way, setWay] = useState<Place[]>([])
  const [hold, setHold] = useState<Place | null>(null)
  const drag = useRef<Drag>(null)
  const went = useRef(0)
  const { look, setLook, place } = useLook(canvas, boxAbout(p))
  // where a corner is on its way, it is shown there
  const [moved, setMoved] = useState<{ id: string; corner: number; to: Place } | null>(null)
  const items = moved ? p.items.map((d) => (d.id === moved.id ? shifted(d, moved) : d)) : p.items
  useEffect(() => {
    const c = canvas.current
    if (c) paintGround(c, { ...p, items, way, hold, look }, u)
  })
  const { metres } = look
  const down = (e: PointerEvent<HTMLCanvasElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId)
    went.current = 0
    const one = p.tool === 'pick' && p.editable ? p.items.find((d) => d.id === p.selected) : undefined
    const corner = one ? cornersOf(one).findIndex((q) => far(q, place(e)) < NEAR * metres) : -1
    drag.current = one && corner >= 0 ? { corner, of: one } : 'paper'
  }
  const move = (e: PointerEvent<HTMLCanvasElement>) => {
    const d = drag.current
    if (!e.buttons || !d) return way.length > 0 ? setHold(place(e)) : undefined
    went.current += Math.abs(e.movementX) + Math.abs(e.movementY)
    if (d !== 'paper') setMoved({ id: d.of.id, corner: d.corner, to: place(e) })
    else if (went.current > 4)
      setLook({ ...look, at: [look.at[0] - e.movementX * metres, look.at[1] + e.movementY * metres] })
  }
  const up = (e: PointerEvent<HTMLCanvasElement>) => {
    const d = drag.current
    drag.current = null
    setMoved(null)
    if (d && d !== 'paper') {
      if (went.current > 0) p.onMoveCorner(d.of, d.corner, place(e))
    } else if (went.current <= 4) act(place(e))
  }
  const act = (at: Place) => {
    if (p.tool === 'pick') p.onSelect(groundAt(p.items, at, NEAR * metres)?.id ?? null)
    else if (p.tool === 'spot') p.onDrawn('spot', [at])
    else setWay([...way, at])
  }
  const leave = () => {
    setWay([])
    setHold(null)
  }
  const finish = () => {
    if ((p.tool === 'breakline' && way.length > 1) || (p.tool === 'area' && way.length > 2)) p.onDrawn(p.tool, way)
    leave()
  }
  return (
    <canvas
      ref={canvas}
      className={`draw-paper ${p.tool === 'pick' ? '' : 'line'}`}
      role="application"
      tabIndex={0}
      aria-label={p.label ?? words.groundPlan}
      data-look={`${look.at[0]} ${look.at[1]} ${look.metres}`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onDoubleClick={finish}
      onKeyDown={(e) => {
        if (e.key === 'Enter') finish()
        else if (e.key === 'Escape' || e.key.length === 1) leave()
        const v = keyed(look, e.key)
        if (!v) return
        e.preventDefault()
        setLook(v)
      }}
    />
  )
}

function shifted(d: Drawn, m: { corner: number; to: Place }): Drawn {
  if (d.data.position) return { ...d, data: { ...d.data, position: m.to } }
  return { ...d, data: { ...d.data, line: cornersOf(d).map((q, k) => (k === m.corner ? m.to : q)) } }
}

/** All that there is to see. */
function boxAbout(p: Props): [number, number, number, number] | null {
  // contours reach far where a scanner saw far: where something is drawn, that is looked at
  const plan = [...p.items, ...p.walls].map(cornersOf)
  const lines = p.contours.length > 0 && !(p.label && plan.length > 0) ? p.contours.map((c) => c.line) : plan
  let box: [number, number, number, number] | null = null
  for (const line of lines)
    for (const [x, y] of line)
      box = box ? [Math.min(box[0], x), Math.min(box[1], y), Math.max(box[2], x), Math.max(box[3], y)] : [x, y, x, y]
  return box
}
