import { describe, expect, it } from 'vitest'
import { bearing, inScan, onScreen } from './data'

const look = { yaw: Math.PI / 2, pitch: 0, fov: Math.PI / 2 }

describe('the walk-through', () => {
  it('puts what lies ahead in the middle, what lies to the right on the right, what is behind nowhere', () => {
    expect(onScreen([5, 0, 0], look, 800, 600)?.map(Math.round)).toEqual([400, 300])
    // south is to the right of somebody who looks east
    expect(onScreen([5, -5, 0], look, 800, 600)?.map(Math.round)).toEqual([700, 300])
    expect(onScreen([5, 0, 2.5], look, 800, 600)?.map(Math.round)).toEqual([400, 150])
    expect(onScreen([-5, 0, 0], look, 800, 600)).toBeNull()
  })

  it('keeps what one looks at in the middle when the look goes up', () => {
    const p = onScreen([3, 0, 3], { ...look, pitch: Math.PI / 4 }, 800, 600)
    expect(p?.map(Math.round)).toEqual([400, 300])
  })

  it('turns from the grid into the scan', () => {
    // the scan's first axis points north
    const rotation = [0, -1, 0, 1, 0, 0, 0, 0, 1]
    expect(inScan(rotation, [0, 2, 0])).toEqual([2, 0, 0])
    expect(bearing([1, 0, 0])).toBe(90)
    expect(bearing([-1, 0, 0])).toBe(270)
  })
})
