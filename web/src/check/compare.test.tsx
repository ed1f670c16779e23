import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { type Answer, refused, serve, show } from '../testing/page'
import { Compare } from './Compare'

type Pair = Schema['ComparedPairDto']
const pair = (a: string, b: string, part: Partial<Pair> = {}): Pair => ({
  id: `${a}${b}`,
  a,
  b,
  places: 1000,
  beyond: 0.03,
  distance: 0.0001,
  detectable: 0.0031,
  misfit: null,
  regions: 0,
  stale: false,
  said: 'surfaces agree',
  ...part,
})
const crate: Schema['ChangedThingDto'] = {
  key: 'only 1 2 3',
  position: [412352.83, 5604824.91, 87.69],
  reach: 1,
  area: 3.2,
  distance: null,
  detectable: 0,
  said: 'S1 shows something where S7 saw through: it went, between S1 and S7',
  pairs: ['S1–S7'],
  looked: null,
}
const all = (part: Partial<Schema['ComparisonsDto']> = {}): Schema['ComparisonsDto'] => ({
  frame: 'grid',
  to_do: 0,
  pairs: [
    pair('S1', 'S2'),
    pair('S1', 'S5', { misfit: [0.0121, 0.0004, 0.9], said: 'surfaces show twice' }),
    pair('S2', 'S5', { regions: 2 }),
  ],
  things: [crate],
  ...part,
})

function open(
  body: Schema['ComparisonsDto'],
  { role = 'owner', unit = 'm', put }: { role?: string; unit?: string; put?: () => Answer } = {},
) {
  const sent = serve({
    'GET /comparison': () => ({ body }),
    'GET /tasks': () => ({ body: [] }),
    'POST /comparison': () => ({ body: {} }),
    'PUT /comparison/things': put ?? (() => ({ body })),
  })
  show(
    <UnitContext value={unitsOf(unit)}>
      <Compare />
    </UnitContext>,
    { role },
  )
  return sent
}
const rows = async (table: string) =>
  within(await screen.findByRole('table', { name: table }))
    .getAllByRole('row')
    .slice(1)
    .map((r) => r.textContent ?? '')

describe('scans against one another', () => {
  it('show the pair that lies apart first, then those with changes', async () => {
    open(all())
    const told = await rows('Scans against one another, by pair')
    expect(told.map((t) => t.slice(0, 5))).toEqual(['S1–S5', 'S2–S5', 'S1–S2'])
    expect(told[0]).toContain('12.10 ± 0.40')
    expect(document.body.textContent).toContain('3 pairs at 3\u00a0000 places: 3.0 %')
  })
  it('are told in the unit of the job', async () => {
    open(all(), { unit: 'ftUS' })
    const [first] = await rows('Scans against one another, by pair')
    expect(first).toContain('0.03970 ± 0.00131')
    expect(document.body.textContent).toContain('E [ftUS]')
  })
  it('have each change looked at by somebody, who says what it was', async () => {
    const sent = open(all())
    await rows('Things that changed')
    fireEvent.change(screen.getByLabelText('What it was'), { target: { value: 'crate of the fitters' } })
    fireEvent.click(screen.getByRole('button', { name: 'I looked at it' }))
    await waitFor(() => expect(sent).toHaveLength(1))
    expect(sent[0]!.body).toEqual({ key: 'only 1 2 3', looked: true, note: 'crate of the fitters' })
  })
  it('keep what was typed when it cannot be kept', async () => {
    const sent = open(all(), { put: () => refused('what changed is not there any more', 422) })
    await rows('Things that changed')
    const field = screen.getByLabelText<HTMLInputElement>('What it was')
    fireEvent.change(field, { target: { value: 'a visitor' } })
    fireEvent.click(screen.getByRole('button', { name: 'I looked at it' }))
    await waitFor(() => expect(sent).toHaveLength(1))
    expect(field.value).toBe('a visitor')
  })
  it('can be read by a reviewer, who may put their name to a thing and runs nothing', async () => {
    open(all({ things: [{ ...crate, looked: { by: 'Sera', at: '2026-11-28T08:00:00Z', note: 'a crate' } }] }), {
      role: 'reviewer',
    })
    const [thing] = await rows('Things that changed')
    expect(thing).toContain('Sera')
    expect(thing).toContain('a crate')
    expect(screen.queryByRole('button', { name: /compare/i })).toBeNull()
    expect(screen.queryByRole('button', { name: /take it back/i })).not.toBeNull()
  })
  it('say what is open, and what to do where nothing was compared', async () => {
    open(all({ to_do: 2 }))
    await rows('Things that changed')
    expect(document.body.textContent).toContain('2 pairs not compared as things stand')
    document.body.replaceChildren()
    open(all({ pairs: [], things: [], to_do: 3 }))
    await screen.findByRole('button', { name: 'Compare the scans' })
    expect(document.body.textContent).toContain('were not set against one another yet')
  })
})
