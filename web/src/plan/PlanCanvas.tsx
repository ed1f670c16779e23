import Feature from 'ol/Feature'
import OlMap from 'ol/Map'
import View from 'ol/View'
import { ScaleLine, Zoom } from 'ol/control'
import { boundingExtent } from 'ol/extent'
import { LineString, Point, Polygon } from 'ol/geom'
import { Draw, Modify, Select, Snap, Translate, defaults } from 'ol/interaction'
import VectorLayer from 'ol/layer/Vector'
import Projection from 'ol/proj/Projection'
import VectorSource from 'ol/source/Vector'
import { Fill, Icon, RegularShape, Stroke, Style, Text } from 'ol/style'
import CircleStyle from 'ol/style/Circle'
import { useEffect, useRef } from 'react'
import { METRES, useUnits } from '../lib/units'
import type { Item } from './usePlan'

export type Tool = 'pick' | 'wall' | 'obstacle' | 'station' | 'target'

interface Props {
  items: Item[]
  /** The plan has been read: an empty one is not fitted to what is drawn next. */
  ready: boolean
  tool: Tool
  editable: boolean
  selected: string | null
  onSelect: (id: string | null) => void
  /** A shape was drawn: vertices in plan metres. */
  onDrawn: (tool: Tool, line: [number, number][]) => void
  /** An item was moved or reshaped. */
  onMoved: (id: string, line: [number, number][]) => void
  /** Stretches of wall covered by the selected station. */
  seen: number[][]
  /** Predicted 95 % ellipses: centre, semi-axes (m), bearing, drawn enlarged. */
  ellipses: { at: [number, number]; a: number; b: number; bearing: number; over: boolean }[]
  enlarge: number
}

const INK = '#22303c', ACCENT = '#1d6b74', RED = '#93302b', OCHRE = '#8a6110'
const boardIcon = (on: boolean) => `data:image/svg+xml;utf8,${encodeURIComponent(`<svg xmlns="http://www.w3.org/2000/svg" width="14" height="14"><rect x="1" y="1" width="12" height="12" fill="#fffdf8" stroke="${on ? OCHRE : ACCENT}" stroke-width="2"/><rect x="1" y="1" width="6" height="6" fill="${ACCENT}"/><rect x="7" y="7" width="6" height="6" fill="${ACCENT}"/></svg>`)}`

function styleOf(item: Item, on: boolean): Style[] {
  const d = item.data
  const text = (dy: number) => new Text({ text: d.name, offsetY: dy, font: "600 13px 'Barlow Condensed'", fill: new Fill({ color: INK }), stroke: new Stroke({ color: '#fffdf8', width: 3 }), overflow: true })
  const halo = on ? [new Style({ image: new CircleStyle({ radius: 15, stroke: new Stroke({ color: OCHRE, width: 2 }) }), stroke: new Stroke({ color: '#e3c98a', width: 9 }) })] : []
  switch (item.kind) {
    case 'wall':
      return [...halo, new Style({ stroke: new Stroke({ color: INK, width: (d.top ?? 0) - (d.base ?? 0) > 2 ? 3 : 1.6 }) }), ...(d.required_spacing ? [new Style({ stroke: new Stroke({ color: '#fffdf8', width: 1, lineDash: [2, 5] }) })] : [])]
    case 'obstacle':
      return [...halo, new Style({ stroke: new Stroke({ color: INK, width: 1.3 }), fill: new Fill({ color: '#22303c22' }) })]
    case 'station':
      return [...halo, new Style({ image: new RegularShape({ points: 3, radius: 10, fill: new Fill({ color: INK }), stroke: new Stroke({ color: '#fffdf8', width: 1.5 }) }), text: text(17) })]
    default:
      return [...halo, new Style({ image: d.target === 'checker' ? new Icon({ src: boardIcon(on) }) : new CircleStyle({ radius: 5.5, fill: new Fill({ color: '#fffdf8' }), stroke: new Stroke({ color: ACCENT, width: 2.5 }) }), text: text(-13) }),
        ...(d.control_sigma ? [new Style({ image: new RegularShape({ points: 4, radius: 13, angle: Math.PI / 4, stroke: new Stroke({ color: RED, width: 1.3 }) }) })] : [])]
  }
}

const geometryOf = (item: Item) => {
  const line = item.data.line ?? []
  if (item.kind === 'wall') return new LineString(line)
  if (item.kind === 'obstacle') return new Polygon([[...line, ...line.slice(0, 1)]])
  return new Point((item.data.position ?? [0, 0, 0]).slice(0, 2))
}

const verticesOf = (f: Feature): [number, number][] => {
  const g = f.getGeometry()
  if (g instanceof Point) return [g.getCoordinates() as [number, number]]
  if (g instanceof LineString) return g.getCoordinates() as [number, number][]
  if (g instanceof Polygon) return (g.getCoordinates()[0] ?? []).slice(0, -1) as [number, number][]
  return []
}

/** The metric plan: pan, zoom, snapping, a scale line; draws and moves what stands on it. */
export function PlanCanvas(p: Props) {
  const box = useRef<HTMLDivElement>(null)
  const at = useRef<{ map: OlMap; items: VectorSource; cover: VectorSource; select: Select; scale: ScaleLine } | null>(null)
  const live = useRef(p)
  live.current = p
  const units = useUnits()

  useEffect(() => {
    const items = new VectorSource()
    const cover = new VectorSource()
    const projection = new Projection({ code: 'PLAN', units: 'm', extent: [-1e6, -1e6, 1e6, 1e6] })
    const style = (f: Feature | object) => {
      const item = live.current.items.find((i) => i.id === (f as Feature).getId())
      return item ? styleOf(item, live.current.selected === item.id) : []
    }
    const scale = new ScaleLine({ units: 'metric', minWidth: 90 })
    const map = new OlMap({
      target: box.current as HTMLElement,
      controls: [new Zoom(), scale],
      interactions: defaults({ doubleClickZoom: false, altShiftDragRotate: false, pinchRotate: false }),
      layers: [new VectorLayer({ source: cover, style: (f) => f.get('style') as Style }), new VectorLayer({ source: items, style })],
      view: new View({ projection, center: [0, 0], resolution: 0.1, minResolution: 0.0005, maxResolution: 50 }),
    })
    const select = new Select({ style: (f) => style(f as Feature), hitTolerance: 6, condition: (e) => live.current.tool === 'pick' && e.type === 'click' })
    select.on('select', (e) => live.current.onSelect((e.selected[0]?.getId() as string) ?? null))
    map.addInteraction(select)
    at.current = { map, items, cover, select, scale }
    const size = new ResizeObserver(() => map.updateSize())
    size.observe(box.current as HTMLElement)
    return () => { size.disconnect(); map.setTarget(undefined) }
  }, [])

  // the scale line in the job's unit: OpenLayers knows metres and the US foot; the international
  // foot differs from it by two millionths, far below a pixel
  useEffect(() => at.current?.scale.setUnits(units.code === 'm' ? 'metric' : 'us'), [units.code])

  const fitted = useRef(false)
  useEffect(() => {
    const a = at.current
    if (!a) return
    const ids = new Set(p.items.map((i) => i.id))
    a.items.getFeatures().forEach((f) => { if (!ids.has(f.getId() as string)) a.items.removeFeature(f) })
    for (const item of p.items) {
      const geometry = geometryOf(item)
      const known = a.items.getFeatureById(item.id) as Feature | null
      if (known) known.setGeometry(geometry)
      else { const f = new Feature(geometry); f.setId(item.id); a.items.addFeature(f) }
    }
    a.items.changed()
    if (!fitted.current && p.ready) {
      fitted.current = true
      if (p.items.length === 0) return
      const points = p.items.flatMap((i) => (i.data.line?.length ? i.data.line : [(i.data.position ?? [0, 0]).slice(0, 2)]))
      a.map.updateSize()
      a.map.getView().fit(boundingExtent(points), { padding: [84, 40, 84, 40], maxZoom: 40 })
    }
  }, [p.items, p.ready])

  useEffect(() => {
    const a = at.current
    if (!a) return
    a.select.getFeatures().clear()
    const f = p.selected ? (a.items.getFeatureById(p.selected) as Feature | null) : null
    if (f) a.select.getFeatures().push(f)
    a.items.changed()
  }, [p.selected, p.items])

  useEffect(() => {
    const a = at.current
    if (!a || !p.editable) return
    const add: (Draw | Modify | Translate | Snap)[] = []
    if (p.tool === 'pick') {
      const moved = (features: Feature[]) => features.forEach((f) => live.current.onMoved(f.getId() as string, verticesOf(f)))
      const translate = new Translate({ features: a.select.getFeatures(), filter: (f) => f.getGeometry() instanceof Point, hitTolerance: 8 })
      translate.on('translateend', (e) => moved(e.features.getArray() as Feature[]))
      const modify = new Modify({ features: a.select.getFeatures(), pixelTolerance: 8 })
      modify.on('modifyend', (e) => moved((e.features.getArray() as Feature[]).filter((f) => !(f.getGeometry() instanceof Point))))
      add.push(modify, translate)
    } else {
      const draw = new Draw({ type: p.tool === 'wall' ? 'LineString' : p.tool === 'obstacle' ? 'Polygon' : 'Point', snapTolerance: 10, stopClick: true })
      draw.on('drawend', (e) => live.current.onDrawn(p.tool, verticesOf(e.feature as Feature)))
      add.push(draw)
      const esc = (e: KeyboardEvent) => e.key === 'Escape' && draw.abortDrawing()
      window.addEventListener('keydown', esc)
      draw.on('change:active', () => window.removeEventListener('keydown', esc))
    }
    add.push(new Snap({ source: a.items, pixelTolerance: 10 }))
    add.forEach((i) => a.map.addInteraction(i))
    return () => add.forEach((i) => a.map.removeInteraction(i))
  }, [p.tool, p.editable])

  useEffect(() => {
    const a = at.current
    if (!a) return
    a.cover.clear()
    for (const s of p.seen) {
      const [x1, y1, x2, y2, share] = s as [number, number, number, number, number]
      const f = new Feature(new LineString([[x1, y1], [x2, y2]]))
      f.set('style', new Style({ stroke: new Stroke({ color: `rgba(46,150,146,${0.25 + 0.6 * share})`, width: 13, lineCap: 'butt' }) }))
      a.cover.addFeature(f)
    }
    for (const e of p.ellipses) {
      const ring = Array.from({ length: 49 }, (_, k) => {
        const t = (k / 48) * 2 * Math.PI
        const [u, v] = [e.a * Math.cos(t) * p.enlarge, e.b * Math.sin(t) * p.enlarge]
        return [e.at[0] + u * Math.sin(e.bearing) - v * Math.cos(e.bearing), e.at[1] + u * Math.cos(e.bearing) + v * Math.sin(e.bearing)]
      })
      const f = new Feature(new Polygon([ring]))
      f.set('style', new Style({ stroke: new Stroke({ color: e.over ? RED : ACCENT, width: 1.5, lineDash: e.over ? [6, 4] : undefined }), fill: new Fill({ color: e.over ? '#93302b18' : '#1d6b7418' }) }))
      a.cover.addFeature(f)
    }
  }, [p.seen, p.ellipses, p.enlarge])

  return <div ref={box} className="ol" role="application" aria-label="Plan" data-metres={METRES[units.code]} />
}
