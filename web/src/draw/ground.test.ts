import { describe, expect, it } from 'vitest'
import type { Drawn, Place } from './drawn'
import { groundAt, legsOf, lengthAlong, moveCorner, surrounded } from './ground'

const E = 412_350
const N = 5_604_820
const of = (kind: string, ...corners: Place[]): Drawn => {
  const at = corners.map(([x, y]) => [E + x, N + y] as Place)
  return {
    id: `${kind}-${corners.length}`,
    kind,
    version: 1,
    deleted: false,
    data: kind === 'spot' ? { position: at[0]! } : { line: at },
  }
}
const yard = of('area', [0, 0], [3, 0], [3, 1], [1, 1], [1, 2], [0, 2])
const kerb = of('breakline', [5, 0], [8, 4], [8, 6])
const spot = of('spot', [8, 5])

describe('what is drawn on the ground', () => {
  it('has its size far from the origin', () => {
    expect(surrounded(yard)).toBeCloseTo(4, 9)
    expect(lengthAlong(yard)).toBeCloseTo(10, 9)
    expect(lengthAlong(kerb)).toBeCloseTo(7, 9)
    expect(legsOf(yard)).toHaveLength(6)
    expect(legsOf(kerb)).toHaveLength(2)
  })
  it('is found where it lies, spots before the lines under them', () => {
    const all = [yard, kerb, spot]
    expect(groundAt(all, [E + 8.02, N + 5.02], 0.1)?.id).toBe(spot.id)
    expect(groundAt(all, [E + 8.02, N + 5.5], 0.1)?.id).toBe(kerb.id)
    // the side that closes an area is one of its sides, its inside is not
    expect(groundAt(all, [E + 0.02, N + 1], 0.1)?.id).toBe(yard.id)
    expect(groundAt(all, [E + 0.5, N + 0.5], 0.1)).toBeUndefined()
  })
  it('goes with the corner that is moved, and keeps the others', () => {
    const to: Place = [E + 9, N + 9]
    expect(moveCorner(kerb, 1, to).data?.line).toEqual([kerb.data.line![0], to, kerb.data.line![2]])
    expect(moveCorner(spot, 0, to).data?.position).toEqual(to)
  })
})
