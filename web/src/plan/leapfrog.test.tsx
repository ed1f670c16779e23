import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it, vi } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { type Answer, refused, serve, show } from '../testing/page'
import { Leapfrog } from './Leapfrog'

type Move = Schema['MoveDto']
const move = (station: string, part: Partial<Move> = {}): Move =>
  ({ station, stay: [], carry: [], tie95: null, faults: [], ...part }) as unknown as Move
const moves = [
  move('S1', { carry: [{ sphere: 'A', distance: 4.2, bearing: 0.5, at: [1, 2, 0] }] as unknown as Move['carry'] }),
  move('S2', { stay: ['A', 'B', 'C'], tie95: 0.0031 }),
  move('S3', { stay: ['B'], tie95: 0.021, faults: ['only 1 sphere ties S3'] }),
]

function open(
  answer: () => Answer = () => ({ body: moves }),
  { role = 'owner', order = ['S1', 'S2', 'S3'], unit = 'm' } = {},
) {
  const sent = serve({ 'POST /plan/leapfrog': answer })
  const [onMoves, onApply] = [vi.fn(), vi.fn()]
  show(
    <UnitContext value={unitsOf(unit)}>
      <Leapfrog items={[]} order={order} onMoves={onMoves} onApply={onApply} />
    </UnitContext>,
    { role },
  )
  return { sent, onMoves, onApply }
}
const plan = () => fireEvent.click(screen.getByRole('button', { name: /plan the moves/i }))
const rows = async () =>
  within(await screen.findByRole('table'))
    .getAllByRole('row')
    .slice(1)

describe('spheres carried over open ground', () => {
  it('need two stations', () => {
    open(undefined, { order: ['S1'] })
    expect(screen.getByRole('button', { name: /plan the moves/i })).toHaveProperty('disabled', true)
  })
  it('are planned with as many as are in stock', async () => {
    const { sent, onMoves } = open()
    fireEvent.change(screen.getByLabelText(/spheres in stock/i), { target: { value: '8' } })
    plan()
    await rows()
    expect(sent[0]!.body).toEqual({ stations: [], spheres: 8 })
    expect(onMoves).toHaveBeenCalledWith(moves)
  })
  it('are a list to carry: what stays, what goes where, and what holds the tie', async () => {
    open()
    plan()
    const [first, second] = await rows()
    expect(first!.textContent).toMatch(/A.*4\.2/)
    expect(second!.textContent).toContain('A B C')
    expect(second!.textContent).toContain('3.10')
  })
  it('redden where a tie is too weak, and say why', async () => {
    open()
    plan()
    const third = (await rows())[2]!
    expect(third.className).toContain('bad')
    expect(third.textContent).toContain('only 1 sphere ties S3')
  })
  it('go on the plan only when somebody says so', async () => {
    const { onApply } = open()
    plan()
    await rows()
    expect(onApply).not.toHaveBeenCalled()
    fireEvent.click(screen.getByRole('button', { name: /put these/i }))
    expect(onApply).toHaveBeenCalledTimes(1)
  })
  it('cannot be put there by somebody who only reads', async () => {
    open(undefined, { role: 'reviewer' })
    plan()
    await rows()
    expect(screen.queryByRole('button', { name: /put these/i })).toBeNull()
  })
  it('that cannot be planned leave no list behind', async () => {
    const { onMoves, sent } = open(() => refused('4 spheres are too few between S2 and S3'))
    plan()
    await waitFor(() => expect(sent).toHaveLength(1))
    expect(screen.queryByRole('table')).toBeNull()
    expect(onMoves).not.toHaveBeenCalled()
  })
  it('are in the unit of the job', async () => {
    open(undefined, { unit: 'ft' })
    plan()
    expect((await rows())[0]!.textContent).toContain('13.8')
  })
})
