import Feature from 'ol/Feature'
import OlMap from 'ol/Map'
import View from 'ol/View'
import { ScaleLine, Zoom } from 'ol/control'
import { shiftKeyOnly } from 'ol/events/condition'
import { boundingExtent } from 'ol/extent'
import { DragBox, Select, defaults } from 'ol/interaction'
import VectorLayer from 'ol/layer/Vector'
import Projection from 'ol/proj/Projection'
import VectorSource from 'ol/source/Vector'
import type { Style } from 'ol/style'
import { styleOf } from '../style'
import type { Item } from '../usePlan'
import { corners, geometryOf, underlayStyle } from './geometry'

/** What the map asks of the page around it. */
export interface Around {
  job: string
  items: Item[]
  selected: string[]
  picking: boolean
  onSelect: (ids: string[]) => void
}

/** Pictures and areas below, points on top. */
const RANKS = ['underlay', 'floor', 'area', 'height', 'edge', 'obstacle', 'wall', 'column', 'walk', 'target', 'station']

export class PlanMap {
  readonly items = new VectorSource()
  readonly overlays = new VectorSource()
  readonly scale = new ScaleLine({ units: 'metric', minWidth: 90 })
  readonly select: Select
  readonly map: OlMap
  private size: ResizeObserver
  private known = new Map<string, Item>()

  constructor(
    el: HTMLElement,
    private around: () => Around,
  ) {
    const style = (f: unknown) => this.style(f as Feature)
    const rank = (f: unknown) => RANKS.indexOf(this.known.get((f as Feature).getId() as string)?.kind ?? '')
    const projection = new Projection({ code: 'PLAN', units: 'm', extent: [-1e6, -1e6, 1e6, 1e6] })
    this.map = new OlMap({
      target: el,
      controls: [new Zoom(), this.scale],
      interactions: defaults({
        doubleClickZoom: false,
        altShiftDragRotate: false,
        pinchRotate: false,
        shiftDragZoom: false,
        keyboard: false,
      }),
      layers: [
        new VectorLayer({ source: this.overlays, style: (f) => f.get('style') as Style | Style[] }),
        new VectorLayer({ source: this.items, style, declutter: true, renderOrder: (a, b) => rank(a) - rank(b) }),
      ],
      view: new View({ projection, center: [0, 0], resolution: 0.1, minResolution: 0.0005, maxResolution: 50 }),
    })
    this.select = new Select({
      style,
      hitTolerance: 6,
      condition: (e) => this.around().picking && e.type === 'click',
    })
    this.select.on('select', () =>
      this.around().onSelect(
        this.select
          .getFeatures()
          .getArray()
          .map((f) => f.getId() as string),
      ),
    )
    const boxed = new DragBox({ condition: (e) => shiftKeyOnly(e) && this.around().picking })
    boxed.on('boxend', () => {
      const inside = this.items.getFeaturesInExtent(boxed.getGeometry().getExtent()).map((f) => f.getId() as string)
      this.around().onSelect([...new Set([...this.around().selected, ...inside])])
    })
    this.map.addInteraction(this.select)
    this.map.addInteraction(boxed)
    // where the middle of the canvas is and how many metres a pixel is: for whoever drives the page
    this.map.on('moveend', () => {
      const v = this.map.getView()
      const [x = 0, y = 0] = v.getCenter() ?? []
      el.setAttribute('data-view', `${x} ${y} ${v.getResolution()}`)
    })
    this.size = new ResizeObserver(() => this.map.updateSize())
    this.size.observe(el)
  }

  private style(f: Feature): Style[] {
    const item = this.known.get(f.getId() as string)
    if (!item) return []
    const on = this.around().selected.includes(item.id)
    return item.kind === 'underlay'
      ? underlayStyle(this.around().job, item, on, () => this.items.changed())
      : styleOf(item, on)
  }

  /** Shows these items and no others. */
  put(items: Item[]) {
    this.known = new Map(items.map((i) => [i.id, i]))
    this.items.getFeatures().forEach((f) => {
      if (!this.known.has(f.getId() as string)) this.items.removeFeature(f)
    })
    for (const item of items) {
      const geometry = geometryOf(item)
      const there = this.items.getFeatureById(item.id)
      if (there) there.setGeometry(geometry)
      else {
        const f = new Feature(geometry)
        f.setId(item.id)
        this.items.addFeature(f)
      }
    }
    this.items.changed()
  }

  /** Brings all items into view. */
  fit(items: Item[]) {
    const points = items.flatMap((i) => {
      if (i.kind === 'underlay') return corners(i)
      return i.data.line?.length ? i.data.line : [(i.data.position ?? [0, 0]).slice(0, 2)]
    })
    this.map.updateSize()
    // clear of the tools above and the words below
    const around = this.map.getTargetElement()?.parentElement
    const height = (what: string) => around?.querySelector<HTMLElement>(what)?.offsetHeight ?? 70
    const padding = [height('.tools') + 26, 40, height('.hint') + 60, 40]
    this.map.getView().fit(boundingExtent(points), { padding, maxZoom: 40 })
  }

  pick(ids: string[]) {
    this.select.getFeatures().clear()
    for (const id of ids) {
      const f = this.items.getFeatureById(id)
      if (f) this.select.getFeatures().push(f)
    }
    this.items.changed()
  }

  /** Moves the view by shares of its size, and brings it nearer. */
  step(dx: number, dy: number, nearer: number) {
    const v = this.map.getView()
    const [w = 0, h = 0] = this.map.getSize() ?? []
    const r = v.getResolution() ?? 1
    const [x = 0, y = 0] = v.getCenter() ?? []
    v.setCenter([x + dx * w * r, y + dy * h * r])
    v.setResolution(r * nearer)
  }

  drop() {
    this.size.disconnect()
    this.map.setTarget(undefined)
  }
}
