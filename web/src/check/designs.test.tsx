import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { type Answer, refused, serve, show } from '../testing/page'
import { Designs } from './Designs'

const element = (name: string, built: Schema['BuiltWord'], distance: number | null): Schema['ElementDto'] => ({
  name,
  kind: 'wall',
  position: [0, 0, 0],
  state: { built, distance, detectable: 0.004, seen: 1, shown: distance == null ? 0 : 1 },
  since: null,
})
const design: Schema['DesignDto'] = {
  id: 'd',
  name: 'Fit-out',
  by: 'Sera',
  at: '2026-11-28T08:00:00Z',
  version: 3,
  tolerance: 0.015,
  stale: false,
  elements: [element('W1', 'there', 0.001), element('W2', 'elsewhere', -0.0412), element('W3', 'not_yet', null)],
  progress: [
    { at: '2026-11-20T08:00:00Z', counts: [0, 0, 0, 3, 0] },
    { at: '2026-11-28T08:00:00Z', counts: [1, 1, 0, 1, 0] },
  ],
}

function open(
  body: Schema['DesignDto'][],
  { unit = 'm', role = 'owner', post }: { unit?: string; role?: string; post?: () => Answer } = {},
) {
  const sent = serve({
    'GET /designs': () => ({ body }),
    'GET /tasks': () => ({ body: [] }),
    'POST /designs': post ?? (() => ({ body })),
  })
  show(
    <UnitContext value={unitsOf(unit)}>
      <Designs />
    </UnitContext>,
    { role },
  )
  return sent
}
const rows = async () =>
  within(await screen.findByRole('table', { name: 'Elements of the design' }))
    .getAllByRole('row')
    .slice(1)
    .map((r) => r.textContent ?? '')

describe('designs', () => {
  it('show what stands elsewhere first, with how far and what could be told', async () => {
    open([design])
    const told = await rows()
    expect(told.map((t) => t.slice(0, 2))).toEqual(['W2', 'W3', 'W1'])
    expect(told[0]).toContain('−41.20 ± 4.00')
    expect(document.body.textContent).toContain('1 of the 3 that are seen are there, 1 elsewhere, 1 not yet.')
    expect(document.body.textContent).toContain('0 of 3 there')
  })
  it('speak feet where the job does', async () => {
    open([design], { unit: 'ft' })
    expect((await rows())[0]).toContain('−0.13517 ± 0.01312')
  })
  it('keep what was typed when it is refused', async () => {
    const sent = open([], { post: () => refused('line 1, column 3: found “x”, expected a number', 422) })
    fireEvent.click(await screen.findByRole('button', { name: 'Bring a design' }))
    fireEvent.change(screen.getByRole('textbox', { name: 'What is to be built' }), { target: { value: 'New' } })
    const text = screen.getByRole<HTMLTextAreaElement>('textbox', { name: 'The design as text' })
    fireEvent.change(text, { target: { value: 'wall;W1;x' } })
    fireEvent.click(screen.getByRole('button', { name: 'Look for it' }))
    await waitFor(() => expect(sent.some((s) => s.call === 'POST /api/jobs/j/designs')).toBe(true))
    await waitFor(() => expect(screen.getByRole('button', { name: 'Look for it' }).className).not.toContain('loading'))
    expect(text.value).toBe('wall;W1;x')
  })
  it('are read and not brought by a reviewer', async () => {
    open([design], { role: 'reviewer' })
    await rows()
    expect(screen.queryByRole('button', { name: /bring|take out/i })).toBeNull()
  })
})
