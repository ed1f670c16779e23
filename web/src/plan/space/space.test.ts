import * as THREE from 'three'
import { describe, expect, it } from 'vitest'
import type { Item } from '../../lib/hooks'
import type { Surface } from '../maps'
import { piecesOf } from './pieces'
import { siteOf } from './site'
import { Things } from './things'

const item = (kind: string, name: string, data: Partial<Item['data']>): Item => ({
  id: name,
  kind,
  version: 1,
  deleted: false,
  data: { name, base: 0, top: 3, ...data },
})
// on a grid, far from its origin
const [E, N] = [412_000, 5_604_000]
const items = [
  item('wall', 'W', {
    line: [
      [E, N],
      [E + 20, N],
    ],
  }),
  item('station', 'S1', { position: [E + 4, N + 10, 1.65] }),
  item('target', 'K1', { position: [E + 8, N + 6, 1.2], target: 'sphere' }),
  item('column', 'C1', { position: [E + 2, N + 2, 0], radius: 0.3 }),
]
/** x, y, z, along, width, height, then what covers it. */
const cell = (x: number, along: number) => [E + x, N, 1.5, along, 2, 3, 1, 0.01, 0.5, 0, 0.002]
const wall = { item: 'W', name: 'W', kind: 'wall', required: 0.02, accuracy: null, cells: [cell(1, 1), cell(3, 3)] }

describe('the site in space', () => {
  const site = siteOf(items)
  it('is drawn about its middle, so that a graphics card keeps its millimetres', () => {
    expect(site.middle).toEqual([E + 10, N + 5])
    expect(
      site
        .at(E + 10.001, N + 5, 2)
        .toArray()
        .map((v) => v.toFixed(4)),
    ).toEqual(['0.0010', '0.0000', '2.0000'])
  })
  it('shows every piece where it stands, and knows which one a face belongs to', () => {
    const { cells, pieceAt } = piecesOf(site, [wall as unknown as Surface], 'count', null)
    const box = new THREE.Box3().setFromObject(cells)
    expect(box.min.toArray()).toEqual([-10, -5, 0])
    expect(box.max.toArray()).toEqual([-6, -5, 3])
    // two faces a piece
    expect([0, 1, 2, 3].map((f) => pieceAt(f)?.[1][3])).toEqual([1, 1, 3, 3])
    expect(pieceAt(4)).toBeUndefined()
  })
  it('can be picked by what stands about, and tints what is picked', () => {
    const things = new Things(site, items)
    expect(things.pickable.map((o) => o.userData.id as string)).toEqual(['S1', 'K1', 'C1'])
    const colour = () => ((things.pickable[1] as THREE.Mesh).material as THREE.MeshBasicMaterial).color.getHexString()
    const before = colour()
    things.highlight(['K1'])
    expect(colour()).not.toBe(before)
    things.highlight([])
    expect(colour()).toBe(before)
  })
})
