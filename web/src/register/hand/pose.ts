import type { Schema } from '../../api/client'

/** Pose of the second scan in the frame of the first: unit quaternion (w, x, y, z) and metres. */
export type Pose = Schema['PoseDto']

type Quaternion = [number, number, number, number]

function product(p: number[], q: number[]): Quaternion {
  const [a = 1, b = 0, c = 0, d = 0] = p
  const [w = 1, x = 0, y = 0, z = 0] = q
  return [
    a * w - b * x - c * y - d * z,
    a * x + b * w + c * z - d * y,
    a * y - b * z + c * w + d * x,
    a * z + b * y - c * x + d * w,
  ]
}

/** Slid by so many metres along the axes of the slices, which lie at `heading` in the frame of the first, and raised. */
export function slid(pose: Pose, heading: number, along: number, across: number, up: number): Pose {
  const [c, s] = [Math.cos(heading), Math.sin(heading)]
  const [x = 0, y = 0, z = 0] = pose.translation
  return { ...pose, translation: [x + along * c - across * s, y + along * s + across * c, z + up] }
}

/** Turned about the vertical through its own scanner, radians, anticlockwise from above. */
export const turned = (pose: Pose, by: number): Pose => ({
  ...pose,
  rotation: product([Math.cos(by / 2), 0, 0, Math.sin(by / 2)], pose.rotation),
})

/** Its heading, radians from −π to π. */
export function headingOf({ rotation: [w = 1, x = 0, y = 0, z = 0] }: Pose): number {
  return Math.atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z))
}

/** Its scanner in the axes of the slices: along, across, up, metres. */
export function placeOf(pose: Pose, heading: number): [number, number, number] {
  const [c, s] = [Math.cos(heading), Math.sin(heading)]
  const [x = 0, y = 0, z = 0] = pose.translation
  return [x * c + y * s, y * c - x * s, z]
}

/** How something drawn in one pose lies in another, in the plan: turned about its scanner, then shifted. */
export interface Shift {
  turn: number
  about: [number, number, number]
  by: [number, number, number]
}
export function between(drawn: Pose, now: Pose, heading: number): Shift {
  const [from, to] = [placeOf(drawn, heading), placeOf(now, heading)]
  const turn = headingOf(now) - headingOf(drawn)
  return {
    turn: Math.atan2(Math.sin(turn), Math.cos(turn)),
    about: from,
    by: [to[0] - from[0], to[1] - from[1], to[2] - from[2]],
  }
}

/** The direction of a place on a panorama as it is seen from within, to the right clockwise: shares of its width and height from
 * the top left, scanner frame. */
export function direction(u: number, v: number): [number, number, number] {
  const azimuth = Math.PI - (u - Math.floor(u)) * 2 * Math.PI
  const elevation = Math.PI / 2 - v * Math.PI
  return [Math.cos(elevation) * Math.cos(azimuth), Math.cos(elevation) * Math.sin(azimuth), Math.sin(elevation)]
}

/** The place on a panorama of something seen from its scanner. */
export function onPanorama([x = 0, y = 0, z = 0]: number[]): [number, number] {
  return [(Math.PI - Math.atan2(y, x)) / (2 * Math.PI), (Math.PI / 2 - Math.atan2(z, Math.hypot(x, y))) / Math.PI]
}
