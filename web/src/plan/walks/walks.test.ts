import { expect, test } from 'vitest'
import { freeName, walksOf } from '../drawing'
import type { Item } from '../usePlan'
import { stretches, type Walk } from './useWalks'
import { withCorner } from './Walks'

const walk = (id: string, name: string, line: number[][]): Item => ({
  id,
  kind: 'walk',
  deleted: false,
  version: 1,
  data: { name, line, unit: 'Backpack', position: [0, 0, 0], base: 0, top: 0 },
})

test('a walk stands on a mark where its line passes it nearest, and keeps its own corners', () => {
  const line = [
    [0, 0],
    [10, 0],
    [10, 10],
    [0, 10],
  ]
  expect(withCorner(line, [10.2, 4])).toEqual([
    [0, 0],
    [10, 0],
    [10.2, 4],
    [10, 10],
    [0, 10],
  ])
  // beyond an end it is the last leg
  expect(withCorner(line, [-3, 10])).toEqual([
    [0, 0],
    [10, 0],
    [10, 10],
    [-3, 10],
    [0, 10],
  ])
})

test('a walk that is split keeps its name for the first pass; the others come under free ones', () => {
  const first = walk('a', 'W1', [[0, 0]])
  const items = [first, walk('b', 'W2', [[5, 5]])]
  const lines = [1, 2, 3].map((k) => [
    [k, 0],
    [k, 9],
  ])
  const changes = walksOf(items, lines, first.data, first)
  expect(changes.map((c) => c.data?.name)).toEqual(['W1', 'W3', 'W4'])
  expect(changes[0]?.id).toBe('a')
  expect(changes.every((c) => c.data?.unit === 'Backpack')).toBe(true)
  expect(freeName(items, 'walk')).toBe('W3')
})

test('neighbouring places of one judgement are one line, and lines hang together', () => {
  const place = (x: number, error95: number, limit?: number): Walk['places'][number] => ({
    at: [x, 0],
    metres: x,
    seconds: x,
    error95,
    rigid95: error95,
    limit,
    held: 'nothing',
  })
  const w = {
    places: [place(0, 0.01, 0.03), place(3, 0.02, 0.03), place(6, 0.05, 0.03), place(9, 0.02, 0.03), place(12, 0.02)],
  } as Walk
  const of = stretches(w)
  expect(of.map((s) => s.beyond)).toEqual([false, true, false, null])
  of.slice(1).forEach((s, k) => expect(s.line[0]).toEqual(of[k]?.line.at(-1)))
})
