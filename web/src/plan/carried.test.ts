// @vitest-environment node
import { expect, it } from 'vitest'
import type { Schema } from '../api/client'
import type { Item } from '../lib/hooks'
import { carried } from './carried'

const move = (station: string, spheres: [string, number][]): Schema['MoveDto'] => ({
  station,
  stay: [],
  places: [],
  carry: spheres.map(([sphere, x]) => ({ sphere, to: [x, 0, 1.2], distance: 9, bearing: 0 })),
  tie95: 0.002,
  faults: [],
})
const target = (name: string): Item => ({
  id: name,
  kind: 'target',
  version: 1,
  deleted: false,
  data: { name, base: 0, top: 0 },
})

it('gives every place of a sphere that is carried a name of its own, and none that is taken', () => {
  const moves = [
    move('S1', [
      ['K', 1],
      ['L', 2],
    ]),
    move('S2', [['K', 3]]),
    move('S3', [['K', 4]]),
  ]
  const changes = carried(moves, [target('k2'), target('M9')])
  expect(changes.map((c) => c.data?.name)).toEqual(['K1', 'L1', 'K3', 'K4'])
  expect(changes.map((c) => c.data?.position?.[0])).toEqual([1, 2, 3, 4])
  expect(new Set(changes.map((c) => c.id)).size).toBe(4)
})
