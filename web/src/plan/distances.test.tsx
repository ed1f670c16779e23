import { fireEvent, screen } from '@testing-library/react'
import { useState } from 'react'
import { describe, expect, it, vi } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { show } from '../testing/page'
import { Distances } from './Distances'
import type { Item } from './usePlan'

type Data = Schema['PlanData']
const target = (id: string, position: number[] | undefined): Item => ({
  id,
  kind: 'target',
  version: 1,
  deleted: false,
  data: { name: id.toUpperCase(), position },
})
const items = [
  target('t1', [0, 0, 1]),
  target('t2', [3, 4, 1]),
  target('t3', [3, 4, 13]),
  { ...target('s1', [0, 0, 0]), kind: 'station' },
]

function open(list: Schema['DistanceDto'][], { edit = true, unit = 'm', own = 't1', given = items } = {}) {
  const put = vi.fn()
  function Kept() {
    const [d, set] = useState({ name: 'T1', position: [0, 0, 1], distances: list } as unknown as Data)
    return (
      <UnitContext value={unitsOf(unit)}>
        <Distances
          d={d}
          items={given}
          own={own}
          edit={edit}
          put={(part) => {
            put(part)
            set({ ...d, ...part })
          }}
        />
      </UnitContext>
    )
  }
  show(<Kept />)
  return () => (put.mock.lastCall![0] as Data).distances!
}
const planned = (to: string, part: Partial<Schema['DistanceDto']> = {}) => ({
  to,
  sigma: 0.001,
  measured: null,
  ...part,
})
const cells = () => [...document.querySelectorAll('td.num')].map((c) => c.textContent)
const write = (label: RegExp, text: string) => {
  const field = screen.getByLabelText(label)
  fireEvent.change(field, { target: { value: text } })
  fireEvent.blur(field)
}

describe('distances of a target', () => {
  it('are shown as they are on the plan, in space, in the unit of the job', () => {
    open([planned('t2'), planned('t3')])
    expect(cells()).toEqual(['5.000', '13.000'])
    document.body.replaceChildren()
    open([planned('t2')], { unit: 'ft' })
    expect(cells()).toEqual(['16.404'])
  })
  it('to something that is not there any more have no figure', () => {
    open([planned('gone')])
    expect(cells()[0]).not.toMatch(/\d/)
  })
  it('begin to the first other target, a millimetre sharp, not measured', () => {
    const last = open([])
    fireEvent.click(screen.getByRole('button', { name: /add a distance/i }))
    expect(last()).toEqual([planned('t2')])
  })
  it('cannot be added where there is no other target', () => {
    open([], { given: [items[0]!, items[3]!] })
    expect(screen.queryByRole('button')).toBeNull()
  })
  it('once measured are kept in metres, to a tenth of a millimetre, and may be taken back', () => {
    const last = open([planned('t2'), planned('t3')], { unit: 'ftUS' })
    write(/measured distance 2/i, '42.6510')
    expect(last()[1]!.measured).toBeCloseTo((42.651 * 1200) / 3937, 10)
    expect(last()[0]!.measured).toBeNull()
    write(/measured distance 2/i, '')
    expect(last()[1]!.measured).toBeNull()
  })
  it('have a σ in millimetres, and never none', () => {
    const last = open([planned('t2')])
    write(/sigma of distance 1/i, '2.5')
    expect(last()[0]!.sigma).toBeCloseTo(0.0025, 12)
    write(/sigma of distance 1/i, '')
    expect(last()[0]!.sigma).toBe(0.001)
  })
  it('go one at a time', () => {
    const last = open([planned('t2', { measured: 5.001 }), planned('t3')])
    fireEvent.click(screen.getAllByRole('button', { name: /remove/i })[0]!)
    expect(last()).toEqual([planned('t3')])
  })
  it('are only read by those who may not edit', () => {
    open([planned('t2')], { edit: false })
    expect(screen.queryByRole('button')).toBeNull()
    expect(screen.getByLabelText(/measured distance 1/i)).toHaveProperty('disabled', true)
  })
})
