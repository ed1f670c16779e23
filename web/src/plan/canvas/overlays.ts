import Feature from 'ol/Feature'
import { LineString, Point, Polygon } from 'ol/geom'
import type VectorSource from 'ol/source/Vector'
import { Fill, RegularShape, Stroke, Style, Text } from 'ol/style'
import { ACCENT, FAINT, OCHRE, PAPER, RED } from '../../lib/palette'
import { label } from '../style'
import type { SiteNote } from '../useSiteNotes'

type XY = [number, number]

/** What is drawn over the items of a plan. */
export interface Overlays {
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
  /** Stretches of walks: within what is allowed, beyond it, or nothing is asked. */
  walked: { line: [number, number][]; beyond: boolean | null }[]
  /** Walks that are proposed, and places where a known point would help. */
  proposed: [number, number][][]
  helps: { at: [number, number]; order: number }[]
  /** Places where something goes wrong. */
  marks: { at: [number, number]; failed: boolean }[]
  /** What was noted on site. */
  notes: SiteNote[]
  /** Predicted 95 % ellipses: centre, semi-axes (m), bearing, drawn enlarged. */
  ellipses: { at: [number, number]; a: number; b: number; bearing: number; over: boolean }[]
  enlarge: number
}

type Add = (geometry: LineString | Point | Polygon, ...style: Style[]) => void
const line = (color: string, width: number, lineDash?: number[]) =>
  new Style({ stroke: new Stroke({ color, width, lineDash }) })
const band = (color: string, width: number) => new Style({ stroke: new Stroke({ color, width, lineCap: 'butt' }) })

/** Draws all of it anew. */
export function drawOverlays(source: VectorSource, o: Overlays) {
  source.clear()
  const add: Add = (geometry, ...style) => {
    const f = new Feature(geometry)
    f.set('style', style)
    source.addFeature(f)
  }
  for (const [x1 = 0, y1 = 0, x2 = 0, y2 = 0, share = 0] of o.seen)
    add(
      new LineString([
        [x1, y1],
        [x2, y2],
      ]),
      band(`rgba(46,150,146,${0.25 + 0.6 * share})`, 13),
    )
  for (const m of o.map) add(new LineString(m.line), band(m.colour, 11))
  drawWalks(add, o)
  drawStations(add, o)
  drawTies(add, o)
  for (const m of o.marks)
    add(new Point(m.at), new Style({ text: label(m.failed ? '×' : '?', -24, m.failed ? RED : OCHRE) }))
  for (const n of o.notes) {
    const colour = n.hazard ? RED : OCHRE
    const told = n.text.length > 28 ? `${n.text.slice(0, 27)}…` : n.text
    add(
      new Point(n.at),
      new Style({
        image: new RegularShape({ points: 4, radius: 6, fill: new Fill({ color: colour }) }),
        text: label(`${n.hazard ? '! ' : ''}${told}`, -14, colour),
      }),
    )
  }
  for (const e of o.ellipses) add(new Polygon([ring(e, o.enlarge)]), ...ellipse(e.over))
}

/** Stations that are proposed, in the order to walk, and spheres that are carried. */
function drawStations(add: Add, o: Overlays) {
  o.ghosts.forEach((g, k) => {
    const before = o.ghosts[k - 1]
    if (before) add(new LineString([before.at, g.at]), line(OCHRE, 1, [4, 4]))
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
  for (const c of o.carried) {
    add(new LineString([c.from, c.to]), line(ACCENT, 1.2, [6, 4]))
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
}

/** What will come out along walks, walks that are proposed, points that would help. */
function drawWalks(add: Add, o: Overlays) {
  for (const w of o.walked) {
    const held = w.beyond ? RED : ACCENT
    const colour = w.beyond === null ? FAINT : held
    add(new LineString(w.line), band(`${colour}66`, 9))
  }
  o.proposed.forEach((p, k) => {
    add(new LineString(p), line(PAPER, 5), line(OCHRE, 2.2, [6, 4]))
    const first = p[0]
    if (first) add(new Point(first), new Style({ text: label(String(k + 1), -14 - 14 * k, OCHRE) }))
  })
  for (const h of o.helps)
    add(
      new Point(h.at),
      new Style({
        image: new RegularShape({
          points: 4,
          radius: 8,
          angle: Math.PI / 4,
          fill: new Fill({ color: PAPER }),
          stroke: new Stroke({ color: OCHRE, width: 2 }),
        }),
        text: label(String(h.order), -15, OCHRE),
      }),
    )
}

/** How stations hang together, and what they sight. */
function drawTies(add: Add, o: Overlays) {
  for (const l of o.links)
    add(
      new LineString(l.line),
      new Style({
        stroke: new Stroke({ color: l.bridge ? RED : `${ACCENT}66`, width: l.bridge ? 2.4 : 1.4 }),
        text: new Text({
          text: l.says,
          placement: 'line',
          font: "500 11px 'Barlow Condensed'",
          fill: new Fill({ color: l.bridge ? RED : ACCENT }),
          stroke: new Stroke({ color: PAPER, width: 3 }),
        }),
      }),
    )
  for (const s of o.sights) add(new LineString(s), line(FAINT, 1, [1, 4]))
}

/** A 95 % ellipse, enlarged; its bearing is that of the larger axis. */
function ring(e: Overlays['ellipses'][number], enlarge: number): XY[] {
  return Array.from({ length: 49 }, (_, k) => {
    const t = (k / 48) * 2 * Math.PI
    const [u, v] = [e.a * Math.cos(t) * enlarge, e.b * Math.sin(t) * enlarge]
    const [s, c] = [Math.sin(e.bearing), Math.cos(e.bearing)]
    return [e.at[0] + u * s - v * c, e.at[1] + u * c + v * s]
  })
}
const ellipse = (over: boolean) => [
  new Style({
    stroke: new Stroke({ color: over ? RED : ACCENT, width: 1.5, lineDash: over ? [6, 4] : undefined }),
    fill: new Fill({ color: `${over ? RED : ACCENT}18` }),
  }),
]
