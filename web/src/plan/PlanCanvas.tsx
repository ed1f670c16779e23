import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { steps } from '../cloud/keys'
import { METRES, useUnits } from '../lib/units'
import { PlanMap } from './canvas/map'
import { drawOverlays, type Overlays } from './canvas/overlays'
import { type Hands, takeUp } from './canvas/tools'
import type { Item } from './usePlan'
import { useSiteNotes } from './useSiteNotes'
import { plan as words } from '../words'

export type Tool =
  'pick' | 'fit' | 'wall' | 'obstacle' | 'column' | 'floor' | 'area' | 'edge' | 'height' | 'station' | 'target' | 'walk'

interface Props extends Omit<Overlays, 'notes'>, Pick<Hands, 'onMoved' | 'onDrag' | 'onDrawn'> {
  /** Identifier of the job: pictures come from it. */
  job: string
  items: Item[]
  /** The plan has been read: an empty one is not fitted to what is drawn next. */
  ready: boolean
  tool: Tool
  editable: boolean
  selected: string[]
  onSelect: (ids: string[]) => void
  /** What is picked is to be shifted, plan metres. */
  onNudge: (dx: number, dy: number) => void
}

/** The metric plan: pan, zoom, snapping, a scale line; draws and moves what stands on it. */
export function PlanCanvas(p: Props) {
  const box = useRef<HTMLDivElement>(null)
  const [map, setMap] = useState<PlanMap | null>(null)
  const live = useRef(p)
  useEffect(() => {
    live.current = p
  })
  const units = useUnits()
  useEffect(() => {
    const m = new PlanMap(box.current as HTMLElement, () => ({
      job: live.current.job,
      items: live.current.items,
      selected: live.current.selected,
      picking: live.current.tool === 'pick',
      onSelect: (ids) => live.current.onSelect(ids),
    }))
    setMap(m)
    return () => m.drop()
  }, [])
  // the scale line in the job's unit: OpenLayers knows metres and the US foot; the international
  // foot differs from it by two millionths, far below a pixel
  useEffect(() => map?.scale.setUnits(units.code === 'm' ? 'metric' : 'us'), [map, units.code])
  const fitted = useRef(false)
  useEffect(() => {
    map?.put(p.items)
    if (!map || fitted.current || !p.ready) return
    fitted.current = true
    if (p.items.length > 0) map.fit(p.items)
  }, [map, p.items, p.ready])
  useEffect(() => map?.pick(p.selected), [map, p.selected, p.items])
  useEffect(() => {
    if (!map || !p.editable) return
    return takeUp(map.map, map.items, map.select, p.tool, () => ({
      onMoved: live.current.onMoved,
      onDrag: live.current.onDrag,
      onDrawn: live.current.onDrawn,
      isUnderlay: (id) => live.current.items.find((i) => i.id === id)?.kind === 'underlay',
    }))
  }, [map, p.tool, p.editable])
  const notes = useSiteNotes(p.items)
  const { seen, map: shown, ghosts, links, sights, carried, marks, ellipses, enlarge, walked, proposed, helps } = p
  useEffect(() => {
    const ties = { links, sights, carried, marks, notes, ellipses, enlarge }
    if (map) drawOverlays(map.overlays, { seen, map: shown, ghosts, walked, proposed, helps, ...ties })
  }, [map, seen, shown, ghosts, links, sights, carried, marks, notes, ellipses, enlarge, walked, proposed, helps])
  const keys = (e: KeyboardEvent) => {
    if (e.ctrlKey || e.metaKey || e.altKey) return
    const { side: dx, up: dy, nearer } = steps(e.key, 0.8)
    if (!dx && !dy && nearer === 1) return
    e.preventDefault()
    const step = (e.shiftKey ? 1 : 0.1) * units.metres
    if ((dx || dy) && p.selected.length > 0 && p.editable) p.onNudge(dx * step, dy * step)
    else map?.step(0.12 * dx, 0.12 * dy, nearer)
  }
  return (
    <div
      ref={box}
      className="ol"
      role="application"
      tabIndex={0}
      aria-label={words.plan}
      data-metres={METRES[units.code]}
      onKeyDown={keys}
    />
  )
}
