import { expect, test } from 'vitest'
import type { Drawn, Place } from './drawn'
import { between, looking, newElevation, pixelFor } from './elevation'

const along = (a: Place, b: Place): Drawn => ({
  id: 'e',
  kind: 'elevation',
  data: { line: [a, b] },
  version: 1,
  deleted: false,
})

test('who looks at a line from the south has its west end on the left', () => {
  const [tail, tip] = looking(along([500000, 4000010], [500008, 4000010]), 2)!
  expect(tip).toEqual([500004, 4000010])
  expect(tail).toEqual([500004, 4000008])
})

test('a picture is no finer than the server makes it', () => {
  expect(pixelFor(10, 3)).toBe(0.005)
  const pixel = pixelFor(200, 30)
  expect((200 * 30) / pixel ** 2).toBeLessThanOrEqual(16e6)
  expect(pixel).toBeLessThan(0.021)
  const d = newElevation(
    [
      [0, 0],
      [10, 0],
    ],
    'North',
    112.04,
  )
  expect(d.heights[0]).toBeCloseTo(111.9)
  expect(d.heights[1]).toBeCloseTo(115)
})

test('a length has its parts', () => {
  const { long, across, up } = between([
    [1, 2],
    [4, 6],
  ])
  expect([long, across, up]).toEqual([5, 3, 4])
})
