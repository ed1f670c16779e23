// @vitest-environment node
import { expect, test } from 'vitest'
import { between, direction, headingOf, onPanorama, placeOf, type Pose, slid, turned } from './pose'

const start: Pose = { rotation: [1, 0, 0, 0], translation: [4, 1, 0.2] }

test('sliding goes along the axes of the slices, and back', () => {
  const heading = 0.6
  const moved = slid(start, heading, 2, -1, 0.5)
  const [from, to] = [placeOf(start, heading), placeOf(moved, heading)]
  expect(to[0] - from[0]).toBeCloseTo(2)
  expect(to[1] - from[1]).toBeCloseTo(-1)
  expect(to[2] - from[2]).toBeCloseTo(0.5)
  expect(slid(moved, heading, -2, 1, -0.5).translation[0]).toBeCloseTo(4)
})

test('turning leaves the scanner where it is, whatever the tilt', () => {
  const tilted: Pose = { ...start, rotation: [Math.cos(0.05), Math.sin(0.05), 0, 0] }
  const moved = turned(tilted, 0.3)
  expect(moved.translation).toEqual(start.translation)
  expect(headingOf(moved) - headingOf(tilted)).toBeCloseTo(0.3, 2)
  expect(Math.hypot(...moved.rotation)).toBeCloseTo(1)
})

test('what was drawn goes the shorter way round', () => {
  const shift = between(turned(start, 3.1), turned(start, -3.1), 0)
  expect(shift.turn).toBeCloseTo(2 * Math.PI - 6.2)
})

test('a place on the panorama and its direction belong together', () => {
  for (const p of [
    [1, 0, 0],
    [-2, 0.5, 1],
    [0.2, -3, -1],
  ]) {
    const [u, v] = onPanorama(p)
    const d = direction(u, v)
    const n = Math.hypot(...p)
    d.forEach((x, k) => expect(x).toBeCloseTo(p[k]! / n))
  }
  // beyond the seam it goes on from the other side
  // who looks along x has y on the left
  expect(onPanorama([1, 0.2, 0])[0]).toBeLessThan(onPanorama([1, 0, 0])[0])
  expect(direction(1.25, 0.5)[1]).toBeCloseTo(direction(0.25, 0.5)[1])
})
