import { Fill, Icon, RegularShape, Stroke, Style, Text } from 'ol/style'
import CircleStyle from 'ol/style/Circle'
import { ACCENT, FAINT, HALO, INK, OCHRE, PAPER, RED } from '../lib/palette'
import type { Item } from './usePlan'

export { ACCENT, INK, OCHRE, PAPER, RED }
const board = (on: boolean) =>
  // eslint-disable-next-line no-restricted-syntax -- a picture, no words
  `data:image/svg+xml;utf8,${encodeURIComponent(`<svg xmlns="http://www.w3.org/2000/svg" width="14" height="14"><rect x="1" y="1" width="12" height="12" fill="${PAPER}" stroke="${on ? OCHRE : ACCENT}" stroke-width="2"/><rect x="1" y="1" width="6" height="6" fill="${ACCENT}"/><rect x="7" y="7" width="6" height="6" fill="${ACCENT}"/></svg>`)}`
const hatch = (colour: string) => {
  const c = document.createElement('canvas')
  c.width = c.height = 9
  const g = c.getContext('2d')!
  g.strokeStyle = colour
  g.lineWidth = 1.2
  g.beginPath()
  g.moveTo(0, 9)
  g.lineTo(9, 0)
  g.moveTo(-2, 2)
  g.lineTo(2, -2)
  g.moveTo(7, 11)
  g.lineTo(11, 7)
  g.stroke()
  return g.createPattern(c, 'repeat')!
}

export const label = (text: string, dy: number, colour = INK) =>
  new Text({
    text,
    offsetY: dy,
    font: "600 13px 'Barlow Condensed'",
    fill: new Fill({ color: colour }),
    stroke: new Stroke({ color: PAPER, width: 3 }),
    overflow: true,
  })

/** A name along a line. */
const along = (text: string) =>
  new Text({
    text,
    placement: 'line',
    font: "600 13px 'Barlow Condensed'",
    fill: new Fill({ color: ACCENT }),
    stroke: new Stroke({ color: PAPER, width: 3 }),
    overflow: true,
  })

/** A mark on the ground, a checkerboard, a sphere. */
function targetImage(d: Item['data'], on: boolean) {
  if (d.target === 'mark')
    return new RegularShape({
      declutterMode: 'none',
      points: 4,
      radius: 6,
      angle: Math.PI / 4,
      fill: new Fill({ color: INK }),
      stroke: new Stroke({ color: PAPER, width: 1.5 }),
    })
  if (d.target === 'checker') return new Icon({ declutterMode: 'none', src: board(on), rotation: d.facing ?? 0 })
  return new CircleStyle({
    declutterMode: 'none',
    radius: 5.5,
    fill: new Fill({ color: PAPER }),
    stroke: new Stroke({ color: ACCENT, width: 2.5 }),
  })
}

/** How an item of the plan is drawn. */
export function styleOf(item: Item, on: boolean): Style[] {
  const d = item.data
  const halo = on
    ? [
        new Style({
          image: new CircleStyle({ declutterMode: 'none', radius: 15, stroke: new Stroke({ color: OCHRE, width: 2 }) }),
          stroke: new Stroke({ color: `${HALO}88`, width: 9 }),
        }),
      ]
    : []
  switch (item.kind) {
    case 'wall':
      return [
        ...halo,
        new Style({ stroke: new Stroke({ color: INK, width: (d.top ?? 0) - (d.base ?? 0) > 2 ? 3 : 1.6 }) }),
        ...(d.required_spacing
          ? [new Style({ stroke: new Stroke({ color: PAPER, width: 1, lineDash: [2, 5] }) })]
          : []),
      ]
    case 'edge':
      // short strokes across it, as a bank is drawn
      return [
        ...halo,
        new Style({ stroke: new Stroke({ color: OCHRE, width: 1.8 }) }),
        new Style({ stroke: new Stroke({ color: OCHRE, width: 9, lineDash: [1.2, 9], lineCap: 'butt' }) }),
      ]
    case 'height':
      return [
        ...halo,
        new Style({
          image: new RegularShape({
            declutterMode: 'none',
            points: 4,
            radius: 5,
            radius2: 0,
            stroke: new Stroke({ color: FAINT, width: 1.4 }),
          }),
          text: label(d.name, -11, FAINT),
        }),
      ]
    case 'obstacle':
      return [
        ...halo,
        new Style({ stroke: new Stroke({ color: INK, width: 1.3 }), fill: new Fill({ color: `${INK}22` }) }),
      ]
    case 'column':
      return [
        ...halo,
        new Style({ stroke: new Stroke({ color: INK, width: 1.3 }), fill: new Fill({ color: `${INK}66` }) }),
      ]
    case 'floor':
      return [
        ...halo,
        new Style({
          stroke: new Stroke({ color: FAINT, width: 1, lineDash: [8, 3, 2, 3] }),
          fill: new Fill({ color: d.required_spacing ? `${ACCENT}0d` : `${INK}08` }),
          text: label(d.name, 0, FAINT),
        }),
      ]
    case 'area': {
      if (d.area === 'limits')
        return [
          ...halo,
          new Style({
            stroke: new Stroke({ color: ACCENT, width: 1.4, lineDash: [2, 5] }),
            fill: new Fill({ color: `${ACCENT}0a` }),
            text: label(d.name, 0, ACCENT),
          }),
        ]
      const colour = d.area === 'hazard' ? OCHRE : RED
      return [
        ...halo,
        new Style({
          stroke: new Stroke({ color: colour, width: 1.4, lineDash: [10, 4] }),
          fill: new Fill({ color: hatch(`${colour}77`) }),
          text: label(d.name, 0, colour),
        }),
      ]
    }
    case 'walk':
      return [
        ...halo,
        new Style({ stroke: new Stroke({ color: PAPER, width: 4 }) }),
        new Style({ stroke: new Stroke({ color: ACCENT, width: 2, lineDash: [7, 5] }), text: along(d.name) }),
      ]
    case 'station':
      return [
        ...halo,
        new Style({
          image: new RegularShape({
            declutterMode: 'none',
            points: 3,
            radius: 10,
            fill: new Fill({ color: INK }),
            stroke: new Stroke({ color: d.locked ? OCHRE : PAPER, width: d.locked ? 2.5 : 1.5 }),
          }),
          text: label(d.name, 17),
        }),
      ]
    default:
      return [
        ...halo,
        new Style({
          image: targetImage(d, on),
          text: label(d.name, -13),
        }),
        ...(d.control_sigma
          ? [
              new Style({
                image: new RegularShape({
                  declutterMode: 'none',
                  points: d.check ? 3 : 4,
                  radius: 13,
                  angle: d.check ? 0 : Math.PI / 4,
                  stroke: new Stroke({ color: RED, width: 1.3, lineDash: d.check ? [3, 2] : undefined }),
                }),
              }),
            ]
          : []),
      ]
  }
}
