// @vitest-environment node
import { describe, expect, it } from 'vitest'
import { onStorey, storeyAt, storeysOf } from './storeys'
import type { Item } from './usePlan'

const item = (kind: string, data: Partial<Item['data']>): Item => ({
  id: `${kind}${JSON.stringify(data)}`,
  kind,
  version: 1,
  deleted: false,
  data: { name: '', base: 0, top: 0, ...data },
})

describe('storeys', () => {
  const house = [
    item('floor', { base: 0 }),
    item('wall', { base: 0.15, top: 3 }),
    item('wall', { base: -0.4, top: 3 }),
    item('floor', { base: 3.2 }),
    item('wall', { base: 3.2, top: 6 }),
    item('floor', { base: 6.4 }),
  ]
  const storeys = storeysOf(house)

  it('are of floors and walls that stand on one another; steps in the ground are none', () => {
    expect(storeys).toEqual([-0.4, 3.2, 6.4])
    expect(storeysOf(house.slice(0, 3))).toEqual([])
    expect(storeysOf([])).toEqual([])
  })
  it('hold what stands on them: an instrument by its height, a target at the floor by its own', () => {
    expect([-2, 0, 1.6, 3.15, 3.2, 5, 6.35, 90].map((z) => storeyAt(storeys, z))).toEqual([0, 0, 0, 1, 1, 1, 2, 2])
  })
  it('show what passes through them, and once what lies on one', () => {
    const shaft = item('wall', { base: 0, top: 9 })
    const beam = item('obstacle', { base: 3.25, top: 3.6 })
    expect([0, 1, 2].map((k) => onStorey(shaft, storeys, k))).toEqual([true, true, true])
    expect([0, 1, 2].map((k) => onStorey(beam, storeys, k))).toEqual([false, true, false])
    // a wall that ends at the ceiling is not of the storey above
    expect([0, 1, 2].map((k) => onStorey(item('wall', { base: 0, top: 3.2 }), storeys, k))).toEqual([
      true,
      false,
      false,
    ])
    for (const i of house.filter((h) => h.kind === 'floor'))
      expect([0, 1, 2].filter((k) => onStorey(i, storeys, k))).toHaveLength(1)
    const station = item('station', { position: [0, 0, 4.9] })
    expect([0, 1, 2].map((k) => onStorey(station, storeys, k))).toEqual([false, true, false])
    // what has no height is always shown
    expect([0, 1, 2].map((k) => onStorey(item('area', {}), storeys, k))).toEqual([true, true, true])
    // cellars below the lowest floor belong to the lowest storey
    expect(onStorey(item('column', { base: -3, top: -1 }), storeys, 0)).toBe(true)
  })
})
