import { walk as words } from '../words/en/walk'
import type { Walk } from './data'

const SVG = 'http://www.w3.org/2000/svg'

function node(name: string, attributes: Record<string, string | number>): SVGElement {
  const out = document.createElementNS(SVG, name)
  for (const [k, v] of Object.entries(attributes)) out.setAttribute(k, String(v))
  return out
}

/** The plan with its stations: where one stands and looks, and where one can go. */
export function planView(walk: Walk, svg: SVGSVGElement, go: (k: number) => void) {
  const all = [...walk.lines.flat(), ...walk.stations.map((s) => s.at)]
  const of = (k: 0 | 1, f: (...v: number[]) => number) => all.reduce((v, p) => f(v, p[k]), all[0]?.[k] ?? 0)
  const [x0, x1, y0, y1] = [of(0, Math.min), of(0, Math.max), of(1, Math.min), of(1, Math.max)]
  const size = Math.max(x1 - x0, y1 - y0, 4)
  const edge = size * 0.08
  svg.setAttribute('viewBox', `${x0 - edge} ${-y1 - edge} ${x1 - x0 + 2 * edge} ${y1 - y0 + 2 * edge}`)
  for (const line of walk.lines)
    svg.append(node('polyline', { class: 'line', points: line.map(([x, y]) => `${x},${-y}`).join(' ') }))
  const wedge = node('path', { class: 'wedge' })
  svg.append(wedge)
  const r = size * 0.018
  const marks = walk.stations.map((s, k) => {
    const mark = node('circle', { class: 'station', cx: s.at[0], cy: -s.at[1], r, tabindex: 0, role: 'button' })
    mark.setAttribute('aria-label', words.station(s.name))
    mark.addEventListener('click', () => go(k))
    mark.addEventListener('keydown', (e) => {
      if (e.key === 'Enter') go(k)
    })
    const name = node('text', { x: s.at[0] + 1.3 * r, y: -s.at[1] - 0.8 * r, 'font-size': 2.2 * r })
    name.textContent = s.name
    svg.append(mark, name)
    return mark
  })
  return (here: number, look: { yaw: number; fov: number }) => {
    marks.forEach((m, k) => m.classList.toggle('here', k === here))
    const s = walk.stations[here]
    if (!s) return
    const [x, y] = s.at
    const reach = size * 0.14
    const to = (a: number) => `${x + reach * Math.sin(a)},${-(y + reach * Math.cos(a))}`
    wedge.setAttribute('d', `M${x},${-y} L${to(look.yaw - look.fov / 2)} L${to(look.yaw + look.fov / 2)} Z`)
  }
}
