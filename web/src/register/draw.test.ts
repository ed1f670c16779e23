import { describe, expect, it } from 'vitest'
import { scaleOf, windowOf } from './draw'

const square = (x: number, y: number, half: number) =>
  Array.from({ length: 200 }, (_, k) => [
    x - half + (2 * half * (k % 20)) / 19,
    y - half + (2 * half * Math.floor(k / 20)) / 9,
  ])

describe('what of a slice fills the picture', () => {
  it('is all of both where they are of one size', () => {
    const w = windowOf(square(0, 0, 5), square(4, 0, 5))
    expect(w[0]).toBeCloseTo(-5.5)
    expect(w[1]).toBeCloseTo(9.5)
  })
  it('is not stretched by one far point', () => {
    const far = [...square(0, 0, 5), [900, 900]]
    const w = windowOf(far, square(0, 0, 5))
    expect(w.map(Math.abs).every((v) => v < 6)).toBe(true)
  })
  it('leaves to the wheel what lies far from the smaller one', () => {
    const w = windowOf(square(0, 0, 100), square(0, 0, 4))
    expect(w[0]).toBeGreaterThan(-12)
    expect(w[1]).toBeLessThan(12)
    // and holds all of the smaller
    expect(w[0]).toBeLessThan(-4)
    expect(w[3]).toBeGreaterThan(4)
  })
  it('is something where one of them is empty, and a number where both are', () => {
    expect(windowOf([], square(1, 1, 2))[1]).toBeCloseTo(3.5)
    expect(windowOf([], []).every(Number.isFinite)).toBe(true)
  })
  it('keeps a metre a metre both ways', () => {
    expect(scaleOf([0, 10, 0, 5], 1, 216, 216)).toBeCloseTo(20)
    expect(scaleOf([0, 10, 0, 100], 1, 216, 216)).toBeCloseTo(2)
    expect(scaleOf([0, 10, 0, 5], 3, 216, 216)).toBeCloseTo(60)
  })
})
