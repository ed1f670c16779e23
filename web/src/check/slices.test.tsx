import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { serve, show } from '../testing/page'
import { Slices } from './Slices'

const cut: Schema['CutDto'] = {
  at: [412350, 5604820, 88.2],
  bearing: 90,
  tilt: 0,
  width: 40,
  height: 20,
  thickness: 0.05,
}
const near = { ...cut, at: [412361.5, 5604811.25, 88.9], width: 1.6, height: 0.8, thickness: 0.03 }
const doubtful: Schema['SliceDto'] = {
  key: 'Apart a b',
  said: 'S2–S9: a surface lies 9.3 mm beside itself',
  chosen: true,
  cut: near,
  looked: null,
  pair: ['a', 'b'],
  stale: false,
}
const kept: Schema['SliceDto'] = {
  ...doubtful,
  key: 'k',
  said: 'the east wall',
  chosen: false,
  pair: null,
  looked: { by: 'Sera', at: '2026-11-28T08:00:00Z', note: '' },
  stale: true,
}

function open(part: Partial<Schema['SlicesDto']> = {}, { unit = 'm', role = 'owner' } = {}) {
  const body: Schema['SlicesDto'] = { frame: 'grid', start: cut, compared: true, slices: [doubtful, kept], ...part }
  const scan = (id: string, name: string, number: number) => ({
    scan: id,
    name,
    number,
    points: [0, 0, 100, 5],
    count: 2,
  })
  const sent = serve({
    'GET /slices': () => ({ body }),
    'POST /slices/cut': () => ({
      body: { spacing: 0.01, scans: [scan('a', 'S2', 1), scan('b', 'S9', 8), scan('c', 'S4', 3)] },
    }),
    'PUT /slices': () => ({ body }),
  })
  show(
    <UnitContext value={unitsOf(unit)}>
      <Slices />
    </UnitContext>,
    { role },
  )
  return sent
}
const list = async () => within(await screen.findByRole('list', { name: 'Slices to look at' }))

describe('slices', () => {
  it('are looked at by name: the pair it is about is shown, the others wait', async () => {
    const sent = open()
    fireEvent.click((await list()).getByRole('button', { name: /9.3 mm/ }))
    expect(document.body.textContent).toContain('0 of 1 doubtful ones looked at')
    expect(document.body.textContent).toContain('E 412361.500 N 5604811.250 H 88.900 m')
    const marks = within(await screen.findByRole('group', { name: 'Scans in the slice' }))
    await waitFor(() => expect(marks.getByRole('button', { name: /S4/ }).getAttribute('aria-pressed')).toBe('false'))
    expect(marks.getByRole('button', { name: /S2/ }).getAttribute('aria-pressed')).toBe('true')
    fireEvent.change(screen.getByRole('textbox', { name: 'What it shows' }), { target: { value: 'one wall' } })
    fireEvent.click(screen.getByRole('button', { name: 'I looked at it' }))
    await waitFor(() => expect(sent.some((s) => s.call.startsWith('PUT'))).toBe(true))
    expect(sent.find((s) => s.call.startsWith('PUT'))?.body).toMatchObject({
      key: 'Apart a b',
      looked: true,
      note: 'one wall',
    })
  })
  it('step through the building by key, and say that something changed since', async () => {
    open()
    expect((await list()).getByRole('button', { name: /the east wall/ }).textContent).toContain('changed since')
    const canvas = await screen.findByRole('img', { name: /Slice through/ })
    fireEvent.keyDown(canvas, { key: 'ArrowUp', shiftKey: true })
    // ten steps of 50 mm, down and away from who looks
    expect(document.body.textContent).toContain('H 87.700 m')
    fireEvent.keyDown(canvas, { key: ']' })
    expect(screen.getByRole<HTMLInputElement>('spinbutton', { name: 'Thickness' }).value).toBe('75')
  })
  it('say what to do before there is something to look at', async () => {
    open({ slices: [], compared: false })
    expect((await screen.findByText(/Compare the scans above/)).textContent).toBeTruthy()
    document.body.replaceChildren()
    open({ start: null, slices: [] })
    expect(await screen.findByText(/register first/)).toBeTruthy()
  })
})
