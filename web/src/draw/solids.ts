import type { Schema } from '../api/client'
import type { Drawn, Place } from './drawn'

export type SolidData = Partial<Schema['SolidDto']>
export type Point = [number, number, number]

export const isSolid = (d: Drawn) => d.kind === 'solid'
export const shapeOf = (d: Drawn) => d.data.solid?.shape ?? 'pillar'
/** It was measured, and not only drawn. */
export const isMeasured = (d: Drawn) => (d.data.solid?.spread?.length ?? 0) > 0

/** Both ends of the axis of a cylinder. */
export const axisOf = (d: Drawn): [Point, Point] | null => {
  const [a, b] = d.data.solid?.axis ?? []
  return a && b ? [a as Point, b as Point] : null
}

/** How long a cylinder is, or how high anything else, metres. */
export function extentOf(d: Drawn): number {
  const axis = axisOf(d)
  if (axis) return Math.hypot(...axis[1].map((v, k) => v - axis[0][k]!))
  const [low, high] = d.data.heights ?? [0, 0]
  return high! - low!
}

/** The larger 95 % of its heights, or of its axis, metres. */
export const placeError = (d: Drawn): number | null =>
  d.data.error95?.length ? Math.max(...d.data.error95.slice(0, 2)) : null

/** The 95 % of the radius of a cylinder, metres. */
export const radiusError = (d: Drawn): number | null => d.data.error95?.[2] ?? null

/** Steps that distances are counted in begin here and are so wide, metres. */
export const FIRST = -0.05
export const STEP = 0.002

/** Share of points within a distance of the surface, on both sides. */
export function within(spread: number[], distance: number): number {
  const all = spread.reduce((n, v) => n + v, 0)
  const near = spread.reduce((n, v, k) => n + (Math.abs(FIRST + (k + 0.5) * STEP) < distance ? v : 0), 0)
  return all > 0 ? near / all : 0
}

const ROUND = 24

/** What a solid covers from above: an outline, a circle, or the length of a pipe. */
export function footprint(d: Drawn): Place[] {
  const axis = axisOf(d)
  if (!axis) return (d.data.line ?? []) as Place[]
  const r = d.data.radius ?? 0
  const [a, b] = axis
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]]
  const long = Math.hypot(dx, dy)
  if (long < r)
    return Array.from({ length: ROUND }, (_, k): Place => {
      const t = (k / ROUND) * 2 * Math.PI
      return [a[0] + r * Math.cos(t), a[1] + r * Math.sin(t)]
    })
  const [u, v] = [(-dy / long) * r, (dx / long) * r]
  return [
    [a[0] + u, a[1] + v],
    [b[0] + u, b[1] + v],
    [b[0] - u, b[1] - v],
    [a[0] - u, a[1] - v],
  ]
}

const ORDER = ['wall', 'pillar', 'cylinder']
/** Walls, then outlines, then cylinders, the largest first. */
export const inOrder = (a: Drawn, b: Drawn) =>
  ORDER.indexOf(shapeOf(a)) - ORDER.indexOf(shapeOf(b)) || extentOf(b) - extentOf(a) || (a.id < b.id ? -1 : 1)
