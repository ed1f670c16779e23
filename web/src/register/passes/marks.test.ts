import { expect, test } from 'vitest'
import { readMarks, writeMarks } from './marks'

const FOOT = 0.3048

test('marks are read as they are written, in the unit of the job', () => {
  const text = '12.5 K3 1.52\n301 K7 0\n@ 10 -2.5 4 K9 0'
  const read = readMarks(text, FOOT)
  if (!('marks' in read)) throw new Error('not read')
  expect(read.marks[0]).toEqual({ time: 12.5, place: null, point: 'K3', height: 1.52 * FOOT })
  expect(read.marks[2]?.place).toEqual([10 * FOOT, -2.5 * FOOT, 4 * FOOT])
  expect(writeMarks(read.marks, FOOT)).toBe(text)
})

test('marks may wait for their names, and comma is as good as point', () => {
  const read = readMarks('12,5\n@ 1 2 3\n40 ? 1,4', 1)
  if (!('marks' in read)) throw new Error('not read')
  expect(read.marks.map((m) => [m.time, m.point, m.height])).toEqual([
    [12.5, '', 0],
    [0, '', 0],
    [40, '', 1.4],
  ])
  expect(writeMarks(read.marks, 1).split('\n')[1]).toBe('@ 1 2 3 ? 0')
})

test('what was picked keeps the moment it was measured at', () => {
  const read = readMarks('@184.25 1 2 3 K4 0', 1)
  if (!('marks' in read)) throw new Error('not read')
  expect(read.marks).toEqual([{ time: 184.25, place: [1, 2, 3], point: 'K4', height: 0 }])
  expect(writeMarks(read.marks, 1)).toBe('@184.25 1 2 3 K4 0')
  expect(readMarks('@noon 1 2 3 K4', 1)).toEqual({ line: 1, found: '@noon 1 2 3 K4' })
})

test('a line that is no mark is named', () => {
  expect(readMarks('1 K1 0\n\nwhen he stopped', 1)).toEqual({ line: 3, found: 'when he stopped' })
  expect(readMarks('@ 1 2 K1', 1)).toEqual({ line: 1, found: '@ 1 2 K1' })
  expect(readMarks('5 K1 0 7', 1)).toEqual({ line: 1, found: '5 K1 0 7' })
})
