import { expect, test } from 'vitest'
import { type Drawn, ends, join, lengthOf, moveEnd, type Place, snap, split } from './drawn'

const line = (id: string, a: Place, b: Place, error95: number[] = [0.002, 0.004]): Drawn => ({
  id,
  kind: 'line',
  data: { sheet: 's', layer: 'wall', line: [a, b], error95, found: true, name: '', scans: ['S1'] },
  version: 1,
  deleted: false,
})
const wall = line('w', [500000, 4000000], [500010, 4000000])

test('a line that is split is as long as it was, and what is known of it goes with its parts', () => {
  const [a, b] = split(wall, [500004, 4000000.3])
  expect(a?.data?.line).toEqual([
    [500000, 4000000],
    [500004, 4000000],
  ])
  expect(b?.data?.line?.[1]).toEqual([500010, 4000000])
  expect(a?.data?.error95?.[1]).toBeCloseTo(0.0028)
  expect(a?.data?.found).toBe(false)
  expect(split(wall, [500000, 4000000])).toEqual([])
})

test('lines on one line become one, others do not', () => {
  const [a, b] = join(wall, line('v', [500011, 4000000.01], [500014, 4000000.01], [0.005, 0.003]))!
  expect(a?.data?.error95).toEqual([0.005, 0.005])
  expect(lengthOf({ ...wall, data: a!.data! })).toBeCloseTo(14, 3)
  expect(b?.data).toBeNull()
  expect(join(wall, line('v', [500010, 4000000], [500010, 4000005]))).toBeNull()
})

test('an end moved along its line keeps what is known, beside it does not', () => {
  expect(moveEnd(wall, 1, [500012, 4000000])[0]?.data?.error95).toEqual([0.002, 0.004])
  expect(moveEnd(wall, 1, [500012, 4000000.1])[0]?.data?.error95).toEqual([])
})

test('ends hold before lines, lines before points of the cloud', () => {
  const all = [wall]
  const cloud: Place[] = [[500005, 4000001]]
  expect(snap([500009.96, 4000000.05], 0.1, all, cloud)).toEqual(ends(wall)![1])
  expect(snap([500005, 4000000.05], 0.1, all, cloud)).toEqual([500005, 4000000])
  expect(snap([500005.05, 4000001.05], 0.1, all, cloud)).toEqual([500005, 4000001])
  expect(snap([500003, 4000002], 0.1, all, cloud)).toEqual([500003, 4000002])
  expect(snap([500009.96, 4000000.05], 0.1, all, [], 'w')).toEqual([500009.96, 4000000.05])
})
