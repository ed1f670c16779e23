// @vitest-environment node
import { expect, test } from 'vitest'
import { edges, ordered } from './graph'
import type { CloudTie } from './useTies'
import type { Result } from './useRegistration'

const cloud = (a: string, b: string, grade: CloudTie['grade'], overlap: number, takes_part = grade === 'sound') =>
  ({ id: `${a}${b}`, a, b, grade, overlap: [overlap, overlap / 2], takes_part }) as CloudTie
const result = { ties: [{ a: 'S1', b: 'S2', grade: 'sound', shared: ['T1', 'T2', 'T3'] }] } as unknown as Result

test('targets and clouds of one pair are one edge, with the worse grade', () => {
  const all = edges(result, [cloud('S2', 'S1', 'doubtful', 0.4), cloud('S2', 'S3', 'sound', 0.6)])
  expect(all).toHaveLength(2)
  expect(all.at(-1)).toMatchObject({ grade: 'doubtful', shared: 3, overlap: 0.4, cloud: 'S2S1', used: true })
})

test('what did not go together is no edge, unless somebody accepted it', () => {
  expect(edges(undefined, [cloud('S1', 'S9', 'failed', 0.1)])).toHaveLength(0)
  expect(edges(undefined, [cloud('S1', 'S9', 'failed', 0.1, true)])).toHaveLength(1)
})

test('scans that share much stand beside one another', () => {
  const of = edges(undefined, [
    cloud('A', 'D', 'sound', 0.9),
    cloud('D', 'B', 'sound', 0.8),
    cloud('B', 'C', 'sound', 0.7),
  ])
  expect(ordered(['A', 'B', 'C', 'D', 'E'], of)).toEqual(['A', 'D', 'B', 'C', 'E'])
})
