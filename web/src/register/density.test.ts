// @vitest-environment node
import { expect, it } from 'vitest'
import { density } from './density'

// scipy.stats.chi(k).pdf(x)
it.each([
  [1, 0.5, 0.7041306535285989],
  [2, 1.0, 0.6065306597126334],
  [3, 1.5, 0.5828291804965129],
  [6, 2.0, 0.5413411329464508],
])('is the chi distribution of %i components at %f', (k, x, expected) => {
  expect(density(x, k)).toBeCloseTo(expected, 10)
})
