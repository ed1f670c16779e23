import { expect, test } from 'vitest'
import type { Drawn } from './drawn'
import { extentOf, footprint, inOrder, placeError, within } from './solids'

const solid = (id: string, data: Drawn['data']): Drawn => ({ id, kind: 'solid', version: 1, deleted: false, data })

test('what a solid covers from above', () => {
  const pipe = solid('a', {
    radius: 0.1,
    error95: [0.002, 0.004, 0.001],
    solid: {
      shape: 'cylinder',
      axis: [
        [0, 0, 3],
        [4, 3, 3],
      ],
    },
  })
  expect(extentOf(pipe)).toBeCloseTo(5)
  expect(placeError(pipe)).toBe(0.004)
  const [p, , , q] = footprint(pipe)
  expect(Math.hypot(p![0] - q![0], p![1] - q![1])).toBeCloseTo(0.2)
  const column = solid('b', {
    radius: 0.2,
    solid: {
      shape: 'cylinder',
      axis: [
        [1, 1, 0],
        [1, 1, 4],
      ],
    },
  })
  expect(footprint(column).every(([x, y]) => Math.abs(Math.hypot(x - 1, y - 1) - 0.2) < 1e-9)).toBe(true)
  const wall = solid('c', {
    line: [
      [0, 0],
      [1, 0],
      [1, 1],
    ],
    heights: [87, 90],
    solid: { shape: 'wall' },
  })
  expect([pipe, column, wall].sort(inOrder).map((d) => d.id)).toEqual(['c', 'a', 'b'])
})

test('how many points lie near the surface', () => {
  const spread = Array.from({ length: 50 }, () => 0)
  spread[24] = 6
  spread[25] = 2
  spread[40] = 2
  expect(within(spread, 0.002)).toBeCloseTo(0.8)
  expect(within(spread, 0.05)).toBe(1)
  expect(within([], 0.01)).toBe(0)
})
