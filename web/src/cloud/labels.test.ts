// @vitest-environment node
import { expect, it } from 'vitest'
import { steps } from './keys'
import { thin } from './labels'

const at = (x: number, y: number, rank = 2, near = 0) => ({ x, y, width: 30, rank, near })

it('shows no two names over one another, the more important first', () => {
  const [far, near, station, apart] = [at(0, 0, 2, 0.9), at(5, 3, 2, 0.1), at(10, 6, 1, 0.99), at(200, 0)]
  expect(thin([far, near, station, apart])).toEqual(new Set([station, apart]))
  expect(thin([far, near])).toEqual(new Set([near]))
})

it('always shows what is picked', () => {
  const [a, b] = [at(0, 0, 0), at(2, 2, 0)]
  expect(thin([a, b, at(1, 1, 1)])).toEqual(new Set([a, b]))
})

it('knows the keys that move a view', () => {
  expect(steps('ArrowLeft', 0.8)).toEqual({ side: -1, up: 0, nearer: 1 })
  expect(steps('-', 0.8).nearer).toBeCloseTo(1.25)
  expect(steps('x', 0.8)).toEqual({ side: 0, up: 0, nearer: 1 })
})
