import { describe, expect, it } from 'vitest'
import { axes, between, type Cut, lookOf, moved, thicker, upright, zoomed } from './slicing'

const level: Cut = { at: [100, 200, 50], bearing: 90, tilt: 0, width: 10, height: 5, thickness: 0.02 }
const close = (a: number[], b: number[]) => a.forEach((v, k) => expect(v).toBeCloseTo(b[k]!, 9))

describe('slices', () => {
  it('point where a surveyor expects', () => {
    const a = axes(level)
    close(a.across, [1, 0, 0])
    close(a.up, [0, 1, 0])
    close(a.normal, [0, 0, 1])
    // upright, looking north: east is to the right
    const north = axes({ ...level, tilt: 90 })
    close(north.up, [0, 0, 1])
    close(north.normal, [0, -1, 0])
  })

  it('keep the place under the pointer when drawn nearer', () => {
    const c = zoomed(level, 0.5, [2, 1])
    // 2 m right of the old middle is 1 m right of the new one, at half the width
    close(c.at, [101, 200.5, 50])
    expect(c.width).toBe(5)
    close(between(level, c)!, [-1, -0.5])
    expect(zoomed(level, 1e-9, [0, 0]).width).toBeGreaterThan(0.05)
  })

  it('go along a line that was drawn', () => {
    const c = upright(level, [-2, -2], [2, 2])!
    expect(c.bearing).toBeCloseTo(45, 9)
    expect(c.tilt).toBe(90)
    close(c.at, [100, 200, 50])
    expect(c.width).toBeCloseTo(Math.hypot(4, 4), 9)
    // a step goes out of the plane, towards who looks
    close(moved(c, 0, 0, 1).at, [100 + Math.SQRT1_2, 200 - Math.SQRT1_2, 50])
    expect(upright(level, [1, 1], [1, 1])).toBeNull()
    expect(between(level, c)).toBeNull()
    expect(between(moved(level, 0, 0, 0.1), level)).toBeNull()
  })

  it('are never thinner than the API takes, and marks tell sixteen scans apart', () => {
    expect(thicker(level, 1e-6).thickness).toBe(0.002)
    const looks = new Set(Array.from({ length: 16 }, (_, n) => JSON.stringify(lookOf(n))))
    expect(looks.size).toBe(16)
  })
})
