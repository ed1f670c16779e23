/** What the page is given, by `data.js` beside it (made by `crates/server/src/deliver/walk.rs`). Metres about the origin. */
export interface Walk {
  job: string
  revision: number
  simulated: boolean
  reference: string
  heights: string
  /** What lengths are shown in, and metres in it. */
  unit: [string, number]
  /** Grid coordinates of the origin, metres. */
  origin: [number, number, number]
  stations: Station[]
  /** Lines of the plan. */
  lines: [number, number][][]
  verdict: [string, string][]
  notes: [string, string, string, string][]
}

export interface Station {
  name: string
  at: [number, number, number]
  grid: [number, number, number]
  /** From the frame of the scan to the grid, row by row. */
  rotation: number[]
  /** 95 % in plan and in height; null when not known. */
  error95: [number, number] | null
  /** Stations that can be seen from here. */
  links: number[]
  file: string
}

export type Triple = [number, number, number]

/** A direction on the grid, as the scan's frame has it. */
export function inScan(r: number[], [x, y, z]: Triple): Triple {
  const of = (k: number) => (r[k] ?? 0) * x + (r[k + 3] ?? 0) * y + (r[k + 6] ?? 0) * z
  return [of(0), of(1), of(2)]
}

export const between = (a: Station, b: Station): Triple => [b.at[0] - a.at[0], b.at[1] - a.at[1], b.at[2] - a.at[2]]

/** Clockwise from north, degrees from 0 to 360. */
export const bearing = ([x, y]: Triple | number[]) => (Math.atan2(x ?? 0, y ?? 0) * (180 / Math.PI) + 360) % 360

/** Where a direction is in a view of `width` × `height` pixels, and null behind it. Angles in radians. */
export function onScreen(
  [x, y, z]: Triple,
  look: { yaw: number; pitch: number; fov: number },
  width: number,
  height: number,
): [number, number] | null {
  // along the look, to its right, up
  const [s, c] = [Math.sin(look.yaw), Math.cos(look.yaw)]
  const ahead = x * s + y * c
  const right = x * c - y * s
  const [sp, cp] = [Math.sin(look.pitch), Math.cos(look.pitch)]
  const depth = ahead * cp + z * sp
  const up = z * cp - ahead * sp
  if (depth <= 1e-6) return null
  const scale = height / 2 / Math.tan(look.fov / 2)
  return [width / 2 + (right / depth) * scale, height / 2 - (up / depth) * scale]
}
