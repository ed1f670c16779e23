import Feature from 'ol/Feature'
import OlMap from 'ol/Map'
import View from 'ol/View'
import { ScaleLine, Zoom } from 'ol/control'
import { boundingExtent } from 'ol/extent'
import { Circle, LineString, Point, Polygon } from 'ol/geom'
import { Draw, Modify, Select, Snap, Translate, defaults } from 'ol/interaction'
import VectorLayer from 'ol/layer/Vector'
import Projection from 'ol/proj/Projection'
import VectorSource from 'ol/source/Vector'
import { Fill, RegularShape, Stroke, Style, Text } from 'ol/style'
import { useEffect, useRef } from 'react'
import { METRES, useUnits } from '../lib/units'
import { ACCENT, label, OCHRE, PAPER, RED, styleOf } from './style'
import type { Item } from './usePlan'

export type Tool =
  'pick' | 'fit' | 'wall' | 'obstacle' | 'column' | 'floor' | 'area' | 'edge' | 'height' | 'station' | 'target'

interface Props {
  /** Identifier of the job: pictures come from it. */
  job: string
  items: Item[]
  /** The plan has been read: an empty one is not fitted to what is drawn next. */
  ready: boolean
  tool: Tool
  editable: boolean
  selected: string[]
  onSelect: (ids: string[]) => void
  /** A shape was drawn: vertices in plan metres. */
  onDrawn: (tool: Tool, line: [number, number][]) => void
  /** An item was moved or reshaped. */
  onMoved: (id: string, line: [number, number][]) => void
  /** A point is being dragged, and where it is. */
  onDrag: (id: string, at: [number, number]) => void
  /** Stretches of wall covered by the selected station. */
  seen: number[][]
  /** Stretches of wall in the colours of a map. */
  map: { line: [number, number][]; colour: string }[]
  /** Stations proposed, and their place in the order to walk. */
  ghosts: { at: [number, number]; order: number }[]
  /** How the stations hang together: lines, those that alone hold two parts together, what they share. */
  links: { line: [number, number][]; bridge: boolean; says: string }[]
  /** Lines of sight from stations to the marks they sight. */
  sights: [number, number][][]
  /** Spheres carried: from the station, to their place, and their name. */
  carried: { from: [number, number]; to: [number, number]; name: string }[]
  /** Places where something goes wrong. */
  marks: { at: [number, number]; failed: boolean }[]
  /** Predicted 95 % ellipses: centre, semi-axes (m), bearing, drawn enlarged. */
  ellipses: { at: [number, number]; a: number; b: number; bearing: number; over: boolean }[]
  enlarge: number
}

/** Corners of an underlay from the lower left, anticlockwise. */
export function corners(item: Item): [number, number][] {
  const { position = [0, 0, 0], pixels = [1, 1], scale = 1, turn = 0 } = item.data
  const [w, h] = [pixels![0]! * scale!, pixels![1]! * scale!]
  const [s, c] = [Math.sin(turn!), Math.cos(turn!)]
  const at = (x: number, y: number): [number, number] => [position[0]! + c * x - s * y, position[1]! + s * x + c * y]
  return [at(0, 0), at(w, 0), at(w, h), at(0, h), at(0, 0)]
}

const pictures = new Map<string, HTMLImageElement>()
/** Draws the picture into its corners as they lie on the screen. */
function underlayStyle(job: string, item: Item, on: boolean, changed: () => void) {
  let picture = pictures.get(item.id)
  if (!picture) {
    picture = new Image()
    picture.onload = changed
    picture.src = `/api/jobs/${job}/plan/underlays/${item.id}`
    pictures.set(item.id, picture)
  }
  const image = picture
  return [
    new Style({
      zIndex: -10,
      renderer: (shape, state) => {
        const ring = (shape as number[][][])[0]!
        const [a, p, , q] = ring as [number[], number[], number[], number[]]
        // rings are turned one way before they are drawn: the corner along the lower edge is found again
        const turned = (p[0]! - a[0]!) * (q[1]! - a[1]!) - (p[1]! - a[1]!) * (q[0]! - a[0]!) > 0
        const [b, d] = turned ? [q, p] : [p, q]
        const g = state.context
        g.save()
        if (image.complete && image.naturalWidth > 0) {
          g.globalAlpha = item.data.opacity ?? 0.5
          g.setTransform(
            (b[0]! - a[0]!) / image.naturalWidth,
            (b[1]! - a[1]!) / image.naturalWidth,
            (a[0]! - d[0]!) / image.naturalHeight,
            (a[1]! - d[1]!) / image.naturalHeight,
            d[0]!,
            d[1]!,
          )
          g.drawImage(image, 0, 0)
          g.setTransform(1, 0, 0, 1, 0, 0)
        }
        if (on) {
          g.globalAlpha = 1
          g.strokeStyle = OCHRE
          g.lineWidth = 2 * state.pixelRatio
          g.beginPath()
          ring.forEach((p, k) => (k ? g.lineTo(p[0]!, p[1]!) : g.moveTo(p[0]!, p[1]!)))
          g.stroke()
        }
        g.restore()
      },
    }),
  ]
}

const geometryOf = (item: Item) => {
  const line = item.data.line ?? []
  if (item.kind === 'wall' || item.kind === 'edge') return new LineString(line)
  if (item.kind === 'obstacle' || item.kind === 'floor' || item.kind === 'area')
    return new Polygon([[...line, ...line.slice(0, 1)]])
  if (item.kind === 'underlay') return new Polygon([corners(item)])
  if (item.kind === 'column') return new Circle((item.data.position ?? [0, 0, 0]).slice(0, 2), item.data.radius ?? 0.2)
  return new Point((item.data.position ?? [0, 0, 0]).slice(0, 2))
}

const verticesOf = (f: Feature): [number, number][] => {
  const g = f.getGeometry()
  if (g instanceof Point) return [g.getCoordinates() as [number, number]]
  if (g instanceof Circle) return [g.getCenter() as [number, number]]
  if (g instanceof LineString) return g.getCoordinates() as [number, number][]
  if (g instanceof Polygon) return (g.getCoordinates()[0] ?? []).slice(0, -1) as [number, number][]
  return []
}

/** The metric plan: pan, zoom, snapping, a scale line; draws and moves what stands on it. */
export function PlanCanvas(p: Props) {
  const box = useRef<HTMLDivElement>(null)
  const at = useRef<{ map: OlMap; items: VectorSource; cover: VectorSource; select: Select; scale: ScaleLine } | null>(
    null,
  )
  const live = useRef(p)
  live.current = p
  const units = useUnits()

  useEffect(() => {
    const items = new VectorSource()
    const cover = new VectorSource()
    const projection = new Projection({ code: 'PLAN', units: 'm', extent: [-1e6, -1e6, 1e6, 1e6] })
    const style = (f: Feature | object) => {
      const item = live.current.items.find((i) => i.id === (f as Feature).getId())
      if (!item) return []
      const on = live.current.selected.includes(item.id)
      return item.kind === 'underlay'
        ? underlayStyle(live.current.job, item, on, () => at.current?.items.changed())
        : styleOf(item, on)
    }
    // pictures and areas below, points on top
    const rank = (f: Feature) =>
      ['underlay', 'floor', 'area', 'height', 'edge', 'obstacle', 'wall', 'column', 'target', 'station'].indexOf(
        live.current.items.find((i) => i.id === f.getId())?.kind ?? '',
      )
    const scale = new ScaleLine({ units: 'metric', minWidth: 90 })
    const map = new OlMap({
      target: box.current as HTMLElement,
      controls: [new Zoom(), scale],
      interactions: defaults({ doubleClickZoom: false, altShiftDragRotate: false, pinchRotate: false }),
      layers: [
        new VectorLayer({ source: cover, style: (f) => f.get('style') as Style | Style[] }),
        new VectorLayer({ source: items, style, renderOrder: (a, b) => rank(a as Feature) - rank(b as Feature) }),
      ],
      view: new View({ projection, center: [0, 0], resolution: 0.1, minResolution: 0.0005, maxResolution: 50 }),
    })
    const select = new Select({
      style: (f) => style(f as Feature),
      hitTolerance: 6,
      condition: (e) => live.current.tool === 'pick' && e.type === 'click',
    })
    select.on('select', () =>
      live.current.onSelect(
        select
          .getFeatures()
          .getArray()
          .map((f) => f.getId() as string),
      ),
    )
    map.addInteraction(select)
    at.current = { map, items, cover, select, scale }
    // where the middle of the canvas is and how many metres a pixel is: for whoever drives the page
    map.on('moveend', () => {
      const v = map.getView(),
        c = v.getCenter() ?? [0, 0]
      ;(box.current as HTMLElement | null)?.setAttribute('data-view', `${c[0]} ${c[1]} ${v.getResolution()}`)
    })
    const size = new ResizeObserver(() => map.updateSize())
    size.observe(box.current as HTMLElement)
    return () => {
      size.disconnect()
      map.setTarget(undefined)
    }
  }, [])

  // the scale line in the job's unit: OpenLayers knows metres and the US foot; the international
  // foot differs from it by two millionths, far below a pixel
  useEffect(() => at.current?.scale.setUnits(units.code === 'm' ? 'metric' : 'us'), [units.code])

  const fitted = useRef(false)
  useEffect(() => {
    const a = at.current
    if (!a) return
    const ids = new Set(p.items.map((i) => i.id))
    a.items.getFeatures().forEach((f) => {
      if (!ids.has(f.getId() as string)) a.items.removeFeature(f)
    })
    for (const item of p.items) {
      const geometry = geometryOf(item)
      const known = a.items.getFeatureById(item.id) as Feature | null
      if (known) known.setGeometry(geometry)
      else {
        const f = new Feature(geometry)
        f.setId(item.id)
        a.items.addFeature(f)
      }
    }
    a.items.changed()
    if (!fitted.current && p.ready) {
      fitted.current = true
      if (p.items.length === 0) return
      const points = p.items.flatMap((i) =>
        i.kind === 'underlay'
          ? corners(i)
          : i.data.line?.length
            ? i.data.line
            : [(i.data.position ?? [0, 0]).slice(0, 2)],
      )
      a.map.updateSize()
      a.map.getView().fit(boundingExtent(points), { padding: [84, 40, 84, 40], maxZoom: 40 })
    }
  }, [p.items, p.ready])

  useEffect(() => {
    const a = at.current
    if (!a) return
    a.select.getFeatures().clear()
    for (const id of p.selected) {
      const f = a.items.getFeatureById(id) as Feature | null
      if (f) a.select.getFeatures().push(f)
    }
    a.items.changed()
  }, [p.selected, p.items])

  useEffect(() => {
    const a = at.current
    if (!a || !p.editable) return
    const add: (Draw | Modify | Translate | Snap)[] = []
    if (p.tool === 'pick') {
      const moved = (features: Feature[]) =>
        features.forEach((f) => live.current.onMoved(f.getId() as string, verticesOf(f)))
      const translate = new Translate({
        features: a.select.getFeatures(),
        filter: (f) => f.getGeometry() instanceof Point || f.getGeometry() instanceof Circle,
        hitTolerance: 8,
      })
      translate.on('translating', (e) => {
        const f = e.features.item(0) as Feature | undefined
        const at = f && verticesOf(f)[0]
        if (at) live.current.onDrag(f.getId() as string, at)
      })
      translate.on('translateend', (e) => moved(e.features.getArray() as Feature[]))
      const modify = new Modify({ features: a.select.getFeatures(), pixelTolerance: 8 })
      modify.on('modifyend', (e) =>
        moved(
          (e.features.getArray() as Feature[]).filter(
            (f) =>
              !(
                f.getGeometry() instanceof Point ||
                f.getGeometry() instanceof Circle ||
                live.current.items.find((i) => i.id === f.getId())?.kind === 'underlay'
              ),
          ),
        ),
      )
      add.push(modify, translate)
    } else {
      const draw = new Draw({
        type:
          p.tool === 'wall' || p.tool === 'edge' || p.tool === 'fit'
            ? 'LineString'
            : p.tool === 'obstacle' || p.tool === 'floor' || p.tool === 'area'
              ? 'Polygon'
              : 'Point',
        snapTolerance: 10,
        stopClick: true,
        ...(p.tool === 'fit' ? { maxPoints: 2 } : {}),
      })
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
      const f = new Feature(
        new LineString([
          [x1, y1],
          [x2, y2],
        ]),
      )
      f.set(
        'style',
        new Style({
          stroke: new Stroke({ color: `rgba(46,150,146,${0.25 + 0.6 * share})`, width: 13, lineCap: 'butt' }),
        }),
      )
      a.cover.addFeature(f)
    }
    const add = (geometry: LineString | Point, ...style: Style[]) => {
      const f = new Feature(geometry)
      f.set('style', style)
      a.cover.addFeature(f)
    }
    for (const m of p.map)
      add(new LineString(m.line), new Style({ stroke: new Stroke({ color: m.colour, width: 11, lineCap: 'butt' }) }))
    p.ghosts.forEach((g, k) => {
      if (k > 0)
        add(
          new LineString([p.ghosts[k - 1]!.at, g.at]),
          new Style({ stroke: new Stroke({ color: OCHRE, width: 1, lineDash: [4, 4] }) }),
        )
      add(
        new Point(g.at),
        new Style({
          image: new RegularShape({
            points: 3,
            radius: 11,
            fill: new Fill({ color: PAPER }),
            stroke: new Stroke({ color: OCHRE, width: 2 }),
          }),
          text: label(String(g.order), 18, OCHRE),
        }),
      )
    })
    for (const l of p.links)
      add(
        new LineString(l.line),
        new Style({
          stroke: new Stroke({ color: l.bridge ? RED : '#1d6b7466', width: l.bridge ? 2.4 : 1.4 }),
          text: new Text({
            text: l.says,
            placement: 'line',
            font: "500 11px 'Barlow Condensed'",
            fill: new Fill({ color: l.bridge ? RED : ACCENT }),
            stroke: new Stroke({ color: PAPER, width: 3 }),
          }),
        }),
      )
    for (const s of p.sights)
      add(new LineString(s), new Style({ stroke: new Stroke({ color: '#5c6b76', width: 1, lineDash: [1, 4] }) }))
    for (const c of p.carried) {
      add(
        new LineString([c.from, c.to]),
        new Style({ stroke: new Stroke({ color: ACCENT, width: 1.2, lineDash: [6, 4] }) }),
      )
      add(
        new Point(c.to),
        new Style({
          image: new RegularShape({
            points: 24,
            radius: 5,
            fill: new Fill({ color: PAPER }),
            stroke: new Stroke({ color: ACCENT, width: 1.6 }),
          }),
          text: label(c.name, -11, ACCENT),
        }),
      )
    }
    for (const m of p.marks)
      add(new Point(m.at), new Style({ text: label(m.failed ? '×' : '?', -24, m.failed ? RED : OCHRE) }))
    for (const e of p.ellipses) {
      const ring = Array.from({ length: 49 }, (_, k) => {
        const t = (k / 48) * 2 * Math.PI
        const [u, v] = [e.a * Math.cos(t) * p.enlarge, e.b * Math.sin(t) * p.enlarge]
        return [
          e.at[0] + u * Math.sin(e.bearing) - v * Math.cos(e.bearing),
          e.at[1] + u * Math.cos(e.bearing) + v * Math.sin(e.bearing),
        ]
      })
      const f = new Feature(new Polygon([ring]))
      f.set(
        'style',
        new Style({
          stroke: new Stroke({ color: e.over ? RED : ACCENT, width: 1.5, lineDash: e.over ? [6, 4] : undefined }),
          fill: new Fill({ color: e.over ? '#93302b18' : '#1d6b7418' }),
        }),
      )
      a.cover.addFeature(f)
    }
  }, [p.seen, p.map, p.ghosts, p.links, p.sights, p.carried, p.marks, p.ellipses, p.enlarge])

  return <div ref={box} className="ol" role="application" aria-label="Plan" data-metres={METRES[units.code]} />
}
