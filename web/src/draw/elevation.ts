import type { Drawn, Place } from './drawn'
import { ends, far } from './drawn'

/** What is taken of an elevation where nobody said otherwise: heights over the floor, before and behind, a pixel; metres. */
const HIGH = 3
const BEFORE = 0.5
const BEHIND = 0.5
const PIXEL = 0.005
/** Pixels of a picture at most; the server says so as well. */
const MOST = 16e6

/** The finest pixel that a picture of this size may have, at least as coarse as asked. */
export function pixelFor(width: number, height: number, asked: number = PIXEL): number {
  const least = Math.sqrt((width * height) / MOST)
  return least <= asked ? asked : Math.ceil(least * 1000) / 1000
}

/** The data of a new elevation over a line, from a floor up. */
export function newElevation(line: [Place, Place], name: string, floor: number) {
  const heights = [Math.round(floor * 10) / 10 - 0.1, Math.round(floor * 10) / 10 + HIGH]
  const pixel = pixelFor(far(...line), heights[1]! - heights[0]!)
  return { name, line, heights, depth: [BEFORE, BEHIND], pixel }
}

export const widthOf = (d: Drawn) => (ends(d) ? far(...ends(d)!) : 0)

/** The arrow of who looks: from its tail before the middle of the line to its tip there. The first end is on the left. */
export function looking(d: Drawn, long: number): [Place, Place] | null {
  const e = ends(d)
  if (!e) return null
  const [a, b] = e
  const length = Math.max(far(a, b), 1e-9)
  const middle: Place = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
  const towards: Place = [((b[1] - a[1]) / length) * long, (-(b[0] - a[0]) / length) * long]
  return [[middle[0] + towards[0], middle[1] + towards[1]], middle]
}

/** A length in a picture, and its parts across and up. */
export const between = ([a, b]: [Place, Place]) => ({ long: far(a, b), across: b[0] - a[0], up: b[1] - a[1] })
