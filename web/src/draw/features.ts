import type { Schema } from '../api/client'
import { type Drawn, type DrawnData, far, type Place } from './drawn'

export type Code = Schema['CodeDto']
export type Snap = Schema['SnapWord']
type Shot = Schema['CornerDto'] | null

export const FLOOR = 'FLOOR'
export const isFeature = (d: Drawn) => d.kind === 'feature'
const shotsOf = (d: Drawn) => (d.data.shots ?? []) as Shot[]

/** Every corner of it was measured. */
export const isKnown = (d: Drawn) => {
  const shots = shotsOf(d)
  return shots.length > 0 && shots.length === (d.data.line ?? []).length && shots.every((s) => s != null)
}

/** Corners that the cloud shows too little of. */
export const missing = (d: Drawn) => (d.data.line ?? []).length - shotsOf(d).filter((s) => s != null).length

/** Lowest and highest of its corners, metres. */
export function heightsOf(d: Drawn): [number, number] | null {
  const all = shotsOf(d).flatMap((s) => (s ? [s.height] : []))
  return all.length > 0 ? [Math.min(...all), Math.max(...all)] : null
}

/** Its corners in space, metres; where the cloud shows too little of one the line is broken. */
export function spaceOf(d: Drawn): [number, number, number][][] {
  const parts: [number, number, number][][] = [[]]
  const shots = shotsOf(d)
  ;((d.data.line ?? []) as Place[]).forEach(([e, n], k) => {
    const shot = shots[k]
    if (shot) parts.at(-1)!.push([e, n, shot.height])
    else parts.push([])
  })
  return parts.filter((p) => p.length > 0)
}

/** The largest of what its corners are uncertain by, 95 %, metres: in plan or in height. */
export function worstShot(d: Drawn, which: 0 | 1): number | null {
  const all = shotsOf(d).flatMap((s) => (s ? [s.error95[which] ?? 0] : []))
  return all.length > 0 ? Math.max(...all) : null
}

/** The same line with corners no farther apart than asked; those that were drawn stay. */
export function dense(line: Place[], every: number | null): Place[] {
  if (!every || every <= 0) return line
  return line.flatMap((q, k) => {
    const before = line[k - 1]
    if (!before) return [q]
    const n = Math.max(1, Math.ceil(far(before, q) / every - 1e-9))
    return Array.from({ length: n }, (_, i): Place => {
      const t = (i + 1) / n
      return [before[0] + (q[0] - before[0]) * t, before[1] + (q[1] - before[1]) * t]
    })
  })
}

/** What is asked for to measure the floor at an opening: its middle, in a profile along it. */
export function atOpening(opening: Drawn, floor: number | undefined): Schema['CornersRequest'] | null {
  const [a, b] = (opening.data.line ?? []) as Place[]
  if (!a || !b) return null
  const bearing = (Math.atan2(b[0] - a[0], b[1] - a[1]) * 180) / Math.PI
  return { corners: [[(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]], snap: 'ground', height: floor ?? null, bearing }
}

/** What was measured as it is kept. */
export function measured(of: DrawnData, m: Schema['CornersDto']): DrawnData {
  return { ...of, line: m.corners, shots: m.shots, drawn: m.drawn }
}

/** The next free name of floor levels and the like: `Door 3`. */
export function nextName(items: Drawn[], word: string): string {
  const taken = new Set(items.map((d) => d.data.name))
  let n = 1
  while (taken.has(`${word} ${n}`)) n += 1
  return `${word} ${n}`
}
