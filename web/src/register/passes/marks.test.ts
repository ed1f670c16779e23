import { expect, test } from 'vitest'
import { readMarks, writeMarks } from './marks'

test('marks are read as they are written, in the unit of the job', () => {
  const text = '12.5 K3 1.52\n301 K7 0'
  const read = readMarks(text, 0.3048)
  if (!('marks' in read)) throw new Error('not read')
  expect(read.marks[0]).toEqual({ time: 12.5, point: 'K3', height: 1.52 * 0.3048 })
  expect(writeMarks(read.marks, 0.3048)).toBe(text)
})

test('a line that is no mark is named', () => {
  expect(readMarks('1 K1 0\n\nwhen he stopped', 1)).toEqual({ line: 3, found: 'when he stopped' })
  expect(readMarks('5', 1)).toEqual({ line: 1, found: '5' })
})
