import type { Drawn, DrawnData, Edit, Place } from './drawn'
import { far, nearestOn } from './drawn'

const KINDS = ['spot', 'breakline', 'area'] as const
export type GroundKind = (typeof KINDS)[number]
export const isOnGround = (d: Drawn) => (KINDS as readonly string[]).includes(d.kind)

/** Corners of something on the ground; a spot is one. */
export const cornersOf = (d: Drawn): Place[] =>
  d.data.position ? [d.data.position as Place] : ((d.data.line ?? []) as Place[])

/** Its legs; an area goes round. */
export function legsOf(d: Drawn): [Place, Place][] {
  const c = cornersOf(d)
  const next = d.kind === 'area' ? [...c.slice(1), c[0]!] : c.slice(1)
  return next.map((q, k) => [c[k]!, q])
}

export const lengthAlong = (d: Drawn) => legsOf(d).reduce((n, leg) => n + far(...leg), 0)

/** Area of an outline, square metres of the grid. */
export function surrounded(d: Drawn): number {
  const c = cornersOf(d)
  const [o = [0, 0]] = c
  // about the first corner: coordinates are large
  const at = (p: Place) => [p[0] - o[0], p[1] - o[1]] as const
  return Math.abs(
    c.reduce((sum, p, k) => {
      const [a, b] = [at(p), at(c[(k + 1) % c.length]!)]
      return sum + (a[0] * b[1] - a[1] * b[0]) / 2
    }, 0),
  )
}

/** What of an area is known, percent, as it is said. */
export const knownShare = (known: number, whole: number) => Math.floor((100 * known) / Math.max(whole, 1e-9) + 0.5)

/** With one corner somewhere else. */
export function moveCorner(d: Drawn, k: number, to: Place): Edit {
  const data: DrawnData = d.data.position
    ? { ...d.data, position: to }
    : { ...d.data, line: cornersOf(d).map((p, i) => (i === k ? to : p)) }
  return { id: d.id, kind: d.kind, data }
}

/** What lies at a place, spots before lines. */
export function groundAt(items: Drawn[], at: Place, reach: number): Drawn | undefined {
  const off = (d: Drawn) =>
    cornersOf(d).length === 1
      ? far(cornersOf(d)[0]!, at) / 2
      : Math.min(Infinity, ...legsOf(d).map((leg) => nearestOn(leg, at).off))
  const [first] = items
    .map((d) => ({ d, off: off(d) }))
    .filter((c) => c.off < reach)
    .sort((a, b) => a.off - b.off)
  return first?.d
}
