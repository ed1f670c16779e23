import type Feature from 'ol/Feature'
import { Circle, LineString, Point, Polygon } from 'ol/geom'
import { Style } from 'ol/style'
import { OCHRE } from '../../lib/palette'
import type { Item } from '../usePlan'

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
export function underlayStyle(job: string, item: Item, on: boolean, changed: () => void) {
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

/** The shape of an item on the plan. */
export const geometryOf = (item: Item) => {
  const line = item.data.line ?? []
  if (item.kind === 'wall' || item.kind === 'edge' || item.kind === 'walk') return new LineString(line)
  if (item.kind === 'obstacle' || item.kind === 'floor' || item.kind === 'area')
    return new Polygon([[...line, ...line.slice(0, 1)]])
  if (item.kind === 'underlay') return new Polygon([corners(item)])
  if (item.kind === 'column') return new Circle((item.data.position ?? [0, 0, 0]).slice(0, 2), item.data.radius ?? 0.2)
  return new Point((item.data.position ?? [0, 0, 0]).slice(0, 2))
}

/** Its vertices, as they are after it was moved. */
export const verticesOf = (f: Feature): [number, number][] => {
  const g = f.getGeometry()
  if (g instanceof Point) return [g.getCoordinates() as [number, number]]
  if (g instanceof Circle) return [g.getCenter() as [number, number]]
  if (g instanceof LineString) return g.getCoordinates() as [number, number][]
  if (g instanceof Polygon) return (g.getCoordinates()[0] ?? []).slice(0, -1) as [number, number][]
  return []
}
