import { fireEvent, render, screen } from '@testing-library/react'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { UnitContext, unitsOf } from '../lib/units'
import { ByNumber } from './ByNumber'
import type { Change, Item } from './usePlan'

const there: Item = {
  id: '1',
  kind: 'station',
  version: 1,
  deleted: false,
  data: { name: 'S1', base: 0, top: 0, position: [0, 0, 1.65] },
}
const applied = vi.fn<(c: Change[]) => void>()
const open = (unit = 'm') =>
  render(
    <UnitContext value={unitsOf(unit)}>
      <ByNumber items={[there]} onApply={applied} />
    </UnitContext>,
  )
const enter = (text: string) => {
  fireEvent.change(screen.getByRole('textbox'), { target: { value: text } })
  fireEvent.submit(screen.getByRole('textbox').closest('form')!)
}
beforeEach(() => applied.mockClear())

describe('places by number', () => {
  it('are one step, with the usual height where none is given', () => {
    open()
    enter('S2 12.5 -3\nS3;1,5;2,25;1,71\n# a remark\n')
    expect(applied).toHaveBeenCalledTimes(1)
    const made = applied.mock.calls[0]![0].map((c) => [c.kind, c.data?.name, c.data?.position])
    expect(made).toEqual([
      ['station', 'S2', [12.5, -3, 1.65]],
      ['station', 'S3', [1.5, 2.25, 1.71]],
    ])
    expect(screen.getByRole<HTMLTextAreaElement>('textbox').value).toBe('')
  })
  it('are in the unit of the job', () => {
    open('ft')
    enter('S2 10 20 5')
    const [x, y, z] = applied.mock.calls[0]![0][0]!.data!.position!
    expect([x, y, z].map((v) => Number(v!.toFixed(6)))).toEqual([3.048, 6.096, 1.524])
  })
  it('are not placed, and not lost, when a line cannot be read or a name is there', () => {
    open()
    for (const [text, told] of [
      ['S2 1 2\nS3 1', 'S3 1'],
      ['S2 one two', 'S2 one two'],
      ['s1 4 5', 's1'],
      ['S5 1 2\ns5 3 4', 's5'],
    ] as const) {
      enter(text)
      expect(applied).not.toHaveBeenCalled()
      expect(screen.getByRole('alert').textContent).toContain(told)
      expect(screen.getByRole<HTMLTextAreaElement>('textbox').value).toBe(text)
    }
    enter('S2 4 5')
    expect(applied).toHaveBeenCalledTimes(1)
    expect(screen.queryByRole('alert')).toBeNull()
  })
})
