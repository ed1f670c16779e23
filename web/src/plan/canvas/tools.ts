import type Feature from 'ol/Feature'
import type OlMap from 'ol/Map'
import { Circle, Point } from 'ol/geom'
import { Draw, Modify, type Select, Snap, Translate } from 'ol/interaction'
import type VectorSource from 'ol/source/Vector'
import type { Tool } from '../PlanCanvas'
import { verticesOf } from './geometry'

type Line = [number, number][]
export interface Hands {
  onMoved: (moves: { id: string; line: Line }[]) => void
  onDrag: (id: string, at: [number, number]) => void
  onDrawn: (tool: Tool, line: Line) => void
  isUnderlay: (id: string) => boolean
}

const isPoint = (f: Feature) => f.getGeometry() instanceof Point || f.getGeometry() instanceof Circle
const SHAPES: Partial<Record<Tool, 'LineString' | 'Polygon'>> = {
  wall: 'LineString',
  edge: 'LineString',
  walk: 'LineString',
  fit: 'LineString',
  obstacle: 'Polygon',
  floor: 'Polygon',
  area: 'Polygon',
}

/** Puts a tool into the hand; what is returned takes it away again. */
export function takeUp(map: OlMap, items: VectorSource, select: Select, tool: Tool, hands: () => Hands): () => void {
  const [own, leave] = tool === 'pick' ? moving(select, hands) : drawing(tool, hands)
  const all = [...own, new Snap({ source: items, pixelTolerance: 10 })]
  all.forEach((i) => map.addInteraction(i))
  return () => {
    leave()
    all.forEach((i) => map.removeInteraction(i))
  }
}

/** Points are dragged, lines and outlines by their vertices; all that was picked is one step. */
function moving(select: Select, hands: () => Hands): [(Translate | Modify)[], () => void] {
  const moved = (features: Feature[]) =>
    hands().onMoved(features.map((f) => ({ id: f.getId() as string, line: verticesOf(f) })))
  const translate = new Translate({
    features: select.getFeatures(),
    filter: (f) => isPoint(f),
    hitTolerance: 8,
  })
  translate.on('translating', (e) => {
    const f = e.features.item(0) as Feature | undefined
    const at = f && verticesOf(f)[0]
    if (at) hands().onDrag(f.getId() as string, at)
  })
  translate.on('translateend', (e) => moved(e.features.getArray().filter(isPoint)))
  const modify = new Modify({ features: select.getFeatures(), pixelTolerance: 8 })
  modify.on('modifyend', (e) => {
    const shapes = e.features.getArray().filter((f) => !isPoint(f) && !hands().isUnderlay(f.getId() as string))
    if (shapes.length > 0) moved(shapes)
  })
  return [[modify, translate], () => undefined]
}

function drawing(tool: Tool, hands: () => Hands): [Draw[], () => void] {
  const draw = new Draw({
    type: SHAPES[tool] ?? 'Point',
    snapTolerance: 10,
    stopClick: true,
    ...(tool === 'fit' ? { maxPoints: 2 } : {}),
  })
  draw.on('drawend', (e) => hands().onDrawn(tool, verticesOf(e.feature)))
  const esc = (e: KeyboardEvent) => e.key === 'Escape' && draw.abortDrawing()
  window.addEventListener('keydown', esc)
  return [[draw], () => window.removeEventListener('keydown', esc)]
}
