import type { Schema } from '../api/client'
import type { Change, Stored } from '../lib/items'

/** What is not said of something is left out. */
export type DrawnData = Partial<Omit<Schema['DrawnData'], 'solid'>> & { solid?: Partial<Schema['SolidDto']> | null }
export type Drawn = Stored<DrawnData>
export type Edit = Change<DrawnData>
export type Place = [number, number]

export const ends = (d: Drawn): [Place, Place] | null => {
  const [a, b] = d.data.line ?? []
  return a && b ? [a as Place, b as Place] : null
}
export const far = (a: Place, b: Place) => Math.hypot(b[0] - a[0], b[1] - a[1])
export const lengthOf = (d: Drawn) => {
  const e = ends(d)
  return e ? far(...e) : 0
}

/** It is taken away. */
export const taken = (d: Drawn): Edit => ({ id: d.id, kind: d.kind, data: null })

/** The kind of something as it is read. */
export function kindOf(d: Drawn): 'wall' | 'low' | 'opening' | 'unseen' | 'column' | 'thickness' {
  if (d.kind === 'line') return d.data.layer === 'low' ? 'low' : 'wall'
  return d.kind as 'opening'
}

/** The largest of what it is uncertain by, 95 %, metres. */
export const worstOf = (d: Drawn) => (d.data.error95?.length ? Math.max(...d.data.error95) : null)

/** What the program says of its kind counts as a line of the plan; thicknesses and what nobody saw are only told. */
export const isToAgree = (d: Drawn) => !!d.data.found && d.kind !== 'unseen' && d.kind !== 'thickness'

/** The nearest place of a line, and how far along it that is, from 0 to 1. */
export function nearestOn([a, b]: [Place, Place], p: Place): { at: Place; share: number; off: number } {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]]
  const length = dx * dx + dy * dy
  const share = length > 0 ? Math.min(1, Math.max(0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / length)) : 0
  const at: Place = [a[0] + share * dx, a[1] + share * dy]
  return { at, share, off: far(at, p) }
}

/** What a place holds to within a reach: ends first, then lines, then points of the cloud. */
export function snap(p: Place, reach: number, of: Drawn[], cloud: Place[], not?: string): Place {
  const best = (places: { at: Place; off: number }[]) => {
    const [first] = places.filter((c) => c.off < reach).sort((x, y) => x.off - y.off)
    return first?.at
  }
  const lines = of.filter((d) => d.id !== not).flatMap((d) => ends(d) ?? [])
  const end = best(lines.map((e) => ({ at: e, off: far(e, p) })))
  if (end) return end
  const on = best(of.filter((d) => d.id !== not).flatMap((d) => (ends(d) ? [nearestOn(ends(d)!, p)] : [])))
  return on ?? best(cloud.map((c) => ({ at: c, off: far(c, p) }))) ?? p
}

/** A line made two at a place. What is known of it holds for both. */
export function split(d: Drawn, p: Place): Edit[] {
  const e = ends(d)
  if (!e) return []
  const { at, share } = nearestOn(e, p)
  if (share * far(...e) < 0.02 || (1 - share) * far(...e) < 0.02) return []
  const [from = 0, to = from] = d.data.error95 ?? []
  const middle = from + (to - from) * share
  const part = (line: Place[], error95: number[]) => ({
    ...d.data,
    line,
    error95: d.data.error95?.length ? error95 : [],
    found: false,
  })
  return [
    { id: d.id, kind: d.kind, data: part([e[0], at], [from, middle]) },
    { id: crypto.randomUUID(), kind: d.kind, data: part([at, e[1]], [middle, to]) },
  ]
}

/** Lines that lie on one line, made one: from the ends that are farthest apart. Null where they do not. */
export function join(a: Drawn, b: Drawn, within = 0.05): Edit[] | null {
  const [p, q] = [ends(a), ends(b)]
  if (!p || !q || a.kind !== 'line' || b.kind !== 'line') return null
  const all = [...p, ...q]
  const pairs = all.flatMap((x, i) => all.slice(i + 1).map((y): [Place, Place] => [x, y]))
  const [longest] = pairs.sort((x, y) => far(...y) - far(...x))
  const off = (c: Place) => {
    const [dx, dy] = [longest![1][0] - longest![0][0], longest![1][1] - longest![0][1]]
    return Math.abs((c[0] - longest![0][0]) * dy - (c[1] - longest![0][1]) * dx) / Math.hypot(dx, dy)
  }
  if (all.some((c) => off(c) > within)) return null
  const errors = [...(a.data.error95 ?? []), ...(b.data.error95 ?? [])]
  const worst = a.data.error95?.length && b.data.error95?.length ? Math.max(...errors) : null
  const scans = [...new Set([...(a.data.scans ?? []), ...(b.data.scans ?? [])])]
  return [
    {
      id: a.id,
      kind: a.kind,
      data: { ...a.data, line: longest!, error95: worst == null ? [] : [worst, worst], scans, found: false },
    },
    { id: b.id, kind: b.kind, data: null },
  ]
}

/** An end moved by hand: what was measured does not hold there any more. */
export function moveEnd(d: Drawn, end: 0 | 1, to: Place): Edit[] {
  const e = ends(d)
  if (!e) return []
  const line = e.map((p, k) => (k === end ? to : p))
  // along itself it is the same line
  const { off } = nearestOn(longer(e), to)
  const error95 = off < 0.002 ? d.data.error95 : []
  return [{ id: d.id, kind: d.kind, data: { ...d.data, line, error95, found: false } }]
}

const longer = ([a, b]: [Place, Place]): [Place, Place] => {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]]
  return [
    [a[0] - 100 * dx, a[1] - 100 * dy],
    [b[0] + 100 * dx, b[1] + 100 * dy],
  ]
}
