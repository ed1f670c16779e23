import * as THREE from 'three'
import type { Item } from '../usePlan'

/** Where a site lies: everything is drawn about its middle, grid coordinates are too long for a graphics card. */
export interface Site {
  middle: [number, number]
  /** Half of its extent, metres. */
  size: number
  at: (x: number, y: number, z: number) => THREE.Vector3
}

export function siteOf(items: Item[]): Site {
  const points = items
    .filter((i) => i.kind !== 'underlay')
    .flatMap((i) => (i.data.line?.length ? i.data.line : [(i.data.position ?? [0, 0]).slice(0, 2)]))
  const middle = [0, 1].map(
    (k) => (Math.min(...points.map((p) => p[k]!)) + Math.max(...points.map((p) => p[k]!))) / 2,
  ) as [number, number]
  const size = Math.max(8, ...points.map((p) => Math.hypot(p[0]! - middle[0], p[1]! - middle[1])))
  return { middle, size, at: (x, y, z) => new THREE.Vector3(x - middle[0], y - middle[1], z) }
}
