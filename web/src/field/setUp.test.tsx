import { fireEvent, screen } from '@testing-library/react'
import { useState } from 'react'
import { describe, expect, it, vi } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { show } from '../testing/page'
import { SetUp } from './SetUp'

type SetUpT = Schema['SetUpDto']

function open(
  first: Partial<SetUpT> = {},
  { height = 1.62, unit = 'm' }: { height?: number | null; unit?: string } = {},
) {
  const kept = vi.fn()
  function Kept() {
    const [value, set] = useState({ mark: '', height: 0, sights: [], ...first })
    const put = (v: SetUpT) => {
      kept(v)
      set(v)
    }
    return (
      <UnitContext value={unitsOf(unit)}>
        <SetUp value={value} height={height} onChange={put} />
      </UnitContext>
    )
  }
  show(<Kept />)
  return () => kept.mock.lastCall![0] as SetUpT
}
const write = (label: RegExp | string, text: string) => {
  const field = screen.getByLabelText(label)
  fireEvent.change(field, { target: { value: text } })
  fireEvent.blur(field)
}

describe('a set-up', () => {
  it('asks for nothing more while no point is occupied', () => {
    open()
    expect(screen.getAllByRole('textbox')).toHaveLength(1)
    expect(screen.queryByRole('button')).toBeNull()
  })
  it('over a point begins with the height that was measured', () => {
    const last = open()
    write('Occupied point', 'M1')
    expect(last()).toMatchObject({ mark: 'M1', height: 1.62 })
  })
  it('keeps its own height where none was measured', () => {
    const last = open({ mark: 'M', height: 1.5 }, { height: null })
    write('Occupied point', 'M1')
    expect(last().height).toBe(1.5)
  })
  it('keeps angles in radians and shows degrees', () => {
    const last = open({
      mark: 'M1',
      sights: [{ mark: 'M2', height: 1.5, direction: Math.PI / 2, elevation: 0, distance: null }],
    })
    expect(screen.getByLabelText('direction 1')).toHaveProperty('value', '90')
    write('direction 1', '45.5')
    expect(last().sights[0]!.direction).toBeCloseTo((45.5 * Math.PI) / 180, 12)
  })
  it('keeps lengths in metres and shows the unit of the job', () => {
    const last = open(
      { mark: 'M1', sights: [{ mark: 'M2', height: 0.3048, direction: 0, elevation: 0, distance: null }] },
      { unit: 'ft' },
    )
    expect(screen.getByLabelText(/reflector height 1/i)).toHaveProperty('value', '1')
    write(/distance 1/i, '100')
    expect(last().sights[0]!.distance).toBeCloseTo(30.48, 9)
    write(/distance 1/i, '')
    expect(last().sights[0]!.distance).toBeNull()
  })
  it('takes and drops backsights one at a time, and leaves the others as they are', () => {
    const last = open({ mark: 'M1' })
    const add = screen.getByRole('button', { name: /add a backsight/i })
    fireEvent.click(add)
    fireEvent.click(add)
    write(/backsight 1/i, 'M2')
    write(/backsight 2/i, 'M3')
    expect(last().sights.map((s) => s.mark)).toEqual(['M2', 'M3'])
    fireEvent.click(screen.getAllByRole('button', { name: /remove/i })[0]!)
    expect(last().sights.map((s) => s.mark)).toEqual(['M3'])
  })
})
