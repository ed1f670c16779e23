import * as THREE from 'three'
import { colourOf, directions, type MapMode, type Surface } from '../maps'
import type { Site } from './site'

/** Every piece of every surface as two triangles in the colour of the map, and which piece a face belongs to. */
export function piecesOf(site: Site, surfaces: Surface[], shown: MapMode, limit: number | null) {
  const { at } = site
  const position: number[] = [],
    colour: number[] = [],
    of: [Surface, number[]][] = []
  const tint = new THREE.Color()
  for (const s of surfaces) {
    const along = directions(s)
    for (const c of s.cells) {
      const [x, y, z, , w, h] = c as [number, number, number, number, number, number]
      const [dx, dy] = s.kind === 'wall' ? along(c) : [1, 0]
      const corner = (a: number, b: number) =>
        (s.kind === 'wall' ? at(x + dx * a * w, y + dy * a * w, z + b * h) : at(x + a * w, y + b * h, z)).toArray()
      const [p, q, r, t] = [corner(-0.5, -0.5), corner(0.5, -0.5), corner(0.5, 0.5), corner(-0.5, 0.5)]
      position.push(...p, ...q, ...r, ...p, ...r, ...t)
      tint.set(colourOf(shown, c, s.required, s.accuracy ?? limit))
      for (let k = 0; k < 6; k++) colour.push(tint.r, tint.g, tint.b)
      of.push([s, c])
    }
  }
  const pieces = new THREE.BufferGeometry()
  pieces.setAttribute('position', new THREE.Float32BufferAttribute(position, 3))
  pieces.setAttribute('color', new THREE.Float32BufferAttribute(colour, 3))
  const cells = new THREE.Mesh(pieces, new THREE.MeshBasicMaterial({ vertexColors: true, side: THREE.DoubleSide }))
  const pieceAt = (face: number | null | undefined) => of[Math.floor((face ?? 0) / 2)]
  return { cells, pieceAt }
}
