import { expect, test } from 'vitest'
import type { Drawn } from './drawn'
import { atOpening, dense, heightsOf, isKnown, missing, nextName, spaceOf, worstShot } from './features'

const shot = (height: number, plan: number) => ({
  height,
  error95: [plan, 0.002] as [number, number],
  scatter: 0.001,
  points: 40,
  scans: ['S1'],
})
const feature = (data: Drawn['data']): Drawn => ({ id: 'a', kind: 'feature', version: 1, deleted: false, data })

test('a line is known when every corner is', () => {
  const line: [number, number][] = [
    [0, 0],
    [1, 0],
  ]
  const half = feature({ line, shots: [shot(87.1, 0.003), null] })
  expect([isKnown(half), missing(half)]).toEqual([false, 1])
  const whole = feature({ line, shots: [shot(87.1, 0.003), shot(86.9, 0.005)] })
  expect([isKnown(whole), missing(whole), heightsOf(whole), worstShot(whole, 0)]).toEqual([
    true,
    0,
    [86.9, 87.1],
    0.005,
  ])
  expect(isKnown(feature({ line, shots: [] }))).toBe(false)
})

test('in space a line is broken where the cloud shows too little', () => {
  const line: [number, number][] = [0, 1, 2, 3].map((x) => [x, 5])
  const shots = [shot(87, 0.003), null, shot(87.2, 0.003), shot(87.3, 0.003)]
  expect(spaceOf(feature({ line, shots }))).toEqual([
    [[0, 5, 87]],
    [
      [2, 5, 87.2],
      [3, 5, 87.3],
    ],
  ])
  expect(spaceOf(feature({ line, shots: [] }))).toEqual([])
})

test('long legs get corners between, and keep those that were drawn', () => {
  const line: [number, number][] = [
    [0, 0],
    [4, 0],
    [4, 1],
  ]
  const d = dense(line, 1.5)
  expect(d).toHaveLength(5)
  expect(d[3]).toEqual([4, 0])
  expect(dense(line, null)).toBe(line)
})

test('a floor is measured in the middle of an opening, along it', () => {
  const asked = atOpening(
    feature({
      line: [
        [10, 5],
        [10, 6],
      ],
    }),
    87,
  )
  expect(asked).toEqual({ corners: [[10, 5.5]], snap: 'ground', height: 87, bearing: 0 })
})

test('names go on where they are free', () => {
  expect(nextName([feature({ name: 'Door 1' }), feature({ name: 'Door 3' })], 'Door')).toBe('Door 2')
})
