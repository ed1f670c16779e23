import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { UnitContext, unitsOf } from '../lib/units'
import { type Answer, refused, serve, show } from '../testing/page'
import { ControlFile } from './ControlFile'

const preview = {
  order: 'NEH',
  order_from_heading: true,
  separator: ';',
  heading: 'Point;Northing;Easting;Height',
  remarks: ['line 4 repeats K1'],
  points: [
    { line: 2, name: 'K1', e: 412350.1234, n: 5604820.5, h: 87.001, sigma: [0.002, 0.002, 0.003] },
    { line: 3, name: 'K2', e: 412361, n: 5604809.25, h: null, sigma: [0.002, 0.002, 0.003] },
  ],
}

function open(answer: () => Answer = () => ({ body: preview }), unit = 'm') {
  const sent = serve({ 'POST /control/preview': answer, 'POST /control': () => ({ body: [] }) })
  show(
    <UnitContext value={unitsOf(unit)}>
      <ControlFile />
    </UnitContext>,
  )
  return sent
}
const write = (text: string) => fireEvent.change(screen.getByLabelText('Control text'), { target: { value: text } })
const look = () => fireEvent.click(screen.getByRole('button', { name: 'Preview' }))

describe('a control file', () => {
  it('is not looked at while it is empty', () => {
    open()
    expect(screen.getByRole('button', { name: 'Preview' })).toHaveProperty('disabled', true)
    write('   ')
    expect(screen.getByRole('button', { name: 'Preview' })).toHaveProperty('disabled', true)
  })
  it('is shown as it was understood before anything is stored', async () => {
    const sent = open()
    write('K1;1;2;3')
    look()
    const rows = within(await screen.findByRole('table')).getAllByRole('row')
    expect(rows[1]!.textContent).toContain('412350.1234')
    expect(rows[1]!.textContent).toContain('2.00 2.00 3.00')
    expect(document.body.textContent).toContain('line 4 repeats K1')
    expect(sent.map((s) => s.call)).toEqual(['POST /api/jobs/j/control/preview'])
    expect(sent[0]!.body).toMatchObject({ text: 'K1;1;2;3', order: null, unit: 'm', sigma_h: 0.002, replace: false })
  })
  it('gives no height that is not there', async () => {
    open()
    write('x')
    look()
    const rows = within(await screen.findByRole('table')).getAllByRole('row')
    expect(rows[2]!.textContent).not.toMatch(/null|NaN|0\.0000/)
  })
  it('is stored as it was shown, once, and then the field is empty', async () => {
    const sent = open()
    write('K1;1;2;3')
    look()
    fireEvent.click(await screen.findByRole('button', { name: /store these 2 points/i }))
    await waitFor(() => expect(screen.getByLabelText('Control text')).toHaveProperty('value', ''))
    expect(sent.map((s) => s.call)).toEqual(['POST /api/jobs/j/control/preview', 'POST /api/jobs/j/control'])
    expect(sent[1]!.body).toEqual(sent[0]!.body)
    expect(screen.queryByRole('table')).toBeNull()
  })
  it('is looked at anew when it, its order or its unit changes', async () => {
    open()
    write('K1;1;2;3')
    look()
    await screen.findByRole('table')
    fireEvent.click(screen.getByText('N E H'))
    expect(screen.queryByRole('table')).toBeNull()
    look()
    await screen.findByRole('table')
    write('K1;1;2;4')
    expect(screen.queryByRole('table')).toBeNull()
  })
  it('that cannot be read says why beside it, and what was written stays', async () => {
    open(() => refused('line 2, column 3: found “six”, expected a number', 422))
    write('a b six')
    look()
    expect((await screen.findByRole('alert')).textContent).toContain('line 2, column 3')
    expect(screen.getByLabelText('Control text')).toHaveProperty('value', 'a b six')
    write('a b 6')
    expect(screen.queryByRole('alert')).toBeNull()
  })
  it('is in the unit of the job unless it says another', async () => {
    const sent = open(undefined, 'ftUS')
    write('K1 1 2 3')
    look()
    await screen.findByRole('table')
    expect(sent[0]!.body).toMatchObject({ unit: 'ftUS' })
  })
})
