import { fireEvent, render, screen, within } from '@testing-library/react'
import { useState } from 'react'
import { MemoryRouter } from 'react-router-dom'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { UNREACHED } from '../api/client'
import type { Schema } from '../api/client'
import type { Draft } from '../lib/draft'
import { type Job, JobContext } from '../lib/hooks'
import { change } from '../lib/settings'
import { UnitContext, unitsOf } from '../lib/units'
import { SHEET_NAMES } from '../shell/sheets'
import { WayOn } from '../shell/WayOn'
import { Conflicts } from './Conflicts'
import { LengthInput } from './LengthInput'
import { type Reading, States } from './States'

afterEach(() => change({ decimal: '.' }))

function Length({ unit, small, first }: { unit: string; small?: boolean; first: number | null }) {
  const [m, setM] = useState<number | null>(first)
  return (
    <UnitContext value={unitsOf(unit)}>
      <LengthInput label="height" value={m} onChange={setM} small={small} />
      <output>{m ?? 'none'}</output>
    </UnitContext>
  )
}
const entered = (text: string) => {
  const field = screen.getByLabelText('height')
  fireEvent.change(field, { target: { value: text } })
  fireEvent.blur(field)
}
const metres = () => Number(screen.getByRole('status').textContent)

describe('a length', () => {
  it('is shown and entered in the unit of the job, and kept in metres', () => {
    for (const [unit, shown, typed, kept] of [
      ['m', '1.65', '1.702', 1.702],
      ['ft', '5.41339', '6', 1.8288],
      ['ftUS', '5.41338', '3.28083333', 1],
    ] as const) {
      const view = render(<Length unit={unit} first={1.65} />)
      expect(screen.getByLabelText<HTMLInputElement>('height').value).toBe(shown)
      entered(typed)
      expect(metres()).toBeCloseTo(kept, 8)
      view.unmount()
    }
  })
  it('is in millimetres where it is small, in metric jobs only', () => {
    const view = render(<Length unit="m" small first={0.0035} />)
    expect(screen.getByLabelText<HTMLInputElement>('height').value).toBe('3.5')
    expect(screen.getByText('mm')).toBeTruthy()
    entered('2')
    expect(metres()).toBeCloseTo(0.002, 12)
    view.unmount()
    render(<Length unit="ft" small first={0.003048} />)
    expect(screen.getByLabelText<HTMLInputElement>('height').value).toBe('0.01')
    expect(screen.getByText('ft')).toBeTruthy()
  })
  it('takes the decimal sign of the reader, and may be empty', () => {
    change({ decimal: ',' })
    render(<Length unit="m" first={1.5} />)
    expect(screen.getByLabelText<HTMLInputElement>('height').value).toBe('1,5')
    entered('2,25')
    expect(metres()).toBe(2.25)
    entered('')
    expect(screen.getByRole('status').textContent).toBe('none')
  })
  it('is not drifted by being looked at: what is not touched stays as it was to the last digit', () => {
    const changed = vi.fn()
    render(<LengthInput label="height" value={1 / 3} onChange={changed} />)
    const field = screen.getByLabelText('height')
    fireEvent.focus(field)
    fireEvent.blur(field)
    expect(changed).not.toHaveBeenCalled()
  })
})

describe('reading', () => {
  const q = (part: Partial<Reading>): Reading => ({
    data: undefined,
    error: null,
    isError: false,
    isFetching: false,
    fetchStatus: 'idle',
    dataUpdatedAt: 0,
    failureCount: 0,
    failureReason: null,
    refetch: () => undefined,
    ...part,
  })
  const show = (of: Reading | Reading[]) =>
    render(
      <States of={of} what="Scans">
        <p>No scans yet</p>
      </States>,
    )
  const empty = () => screen.queryByText('No scans yet')

  it('never says that there is nothing while nobody knows', () => {
    const loading = show(q({ isFetching: true, fetchStatus: 'fetching' }))
    expect(empty()).toBeNull()
    expect(screen.getByRole('status').getAttribute('aria-busy')).toBe('true')
    loading.unmount()
    const again = vi.fn()
    const failed = show(q({ isError: true, error: new Error('the disk is full'), refetch: again }))
    expect(empty()).toBeNull()
    expect(screen.getByRole('alert').textContent).toContain('the disk is full')
    fireEvent.click(screen.getByRole('button'))
    expect(again).toHaveBeenCalledTimes(1)
    failed.unmount()
    // one of two is enough not to know
    show([q({ data: [] }), q({ isFetching: true, fetchStatus: 'fetching' })])
    expect(empty()).toBeNull()
  })
  it('shows what was read before, and how old it is', () => {
    const at = Date.UTC(2026, 2, 1, 7, 5)
    show(q({ data: [], dataUpdatedAt: at, failureReason: new Error(UNREACHED), fetchStatus: 'fetching' }))
    expect(empty()).toBeTruthy()
    expect(screen.getByRole('status').textContent).toContain('2026-03-01 07:05 UTC')
  })
  it('shows what is there without a word', () => {
    show(q({ data: [], dataUpdatedAt: 1 }))
    expect(empty()).toBeTruthy()
    expect(screen.queryByRole('status')).toBeNull()
    expect(screen.queryByRole('alert')).toBeNull()
  })
})

describe('a conflict', () => {
  it('is shown side by side, each settled by itself', () => {
    const settle = vi.fn()
    const draft = {
      conflicts: [
        { path: 'brief.client', mine: 'B', theirs: '' },
        { path: 'brief.origin', mine: [1, 2], theirs: null },
      ],
      settle,
    } as unknown as Draft<unknown>
    render(<Conflicts draft={draft} name={(p) => p.toUpperCase()} />)
    const rows = within(screen.getByRole('table')).getAllByRole('row').slice(1)
    expect(rows.map((r) => r.firstChild?.textContent)).toEqual(['BRIEF.CLIENT', 'BRIEF.ORIGIN'])
    expect(rows[1]!.textContent).toContain('[1,2]')
    const [mine, theirs] = within(rows[0]!).getAllByRole('button')
    fireEvent.click(theirs!)
    fireEvent.click(mine!)
    expect(settle.mock.calls).toEqual([
      ['brief.client', 'theirs'],
      ['brief.client', 'mine'],
    ])
  })
  it('is not there when there is none', () => {
    const { container } = render(<Conflicts draft={{ conflicts: [] } as unknown as Draft<unknown>} name={(p) => p} />)
    expect(container.textContent).toBe('')
  })
})

describe('the way on', () => {
  type State = 'done' | 'open' | 'attention' | 'waiting'
  const foot = (sheet: (typeof SHEET_NAMES)[number], states: State[], role = 'owner', walked = false) => {
    const summary = {
      walked,
      sheets: SHEET_NAMES.map((s, k) => ({ sheet: s, state: states[k], note: 'two findings are open' })),
    } as unknown as Schema['SummaryDto']
    const view = render(
      <MemoryRouter initialEntries={['/jobs/1/plan?pick=target:K3']}>
        <JobContext value={{ id: '1', role } as Job}>
          <WayOn sheet={sheet} summary={summary} />
        </JobContext>
      </MemoryRouter>,
    )
    const text = view.container.textContent
    const link = view.container.querySelector('a')?.getAttribute('href')
    view.unmount()
    return { text, link }
  }
  const all = (s: State) => SHEET_NAMES.map(() => s)

  it('leads to the first thing that is open, with what is picked', () => {
    const states: State[] = ['done', 'done', 'open', 'waiting', 'waiting', 'waiting', 'waiting', 'waiting']
    expect(foot('plan', states).link).toBe('/jobs/1/field?pick=target%3AK3')
    // and says what a sheet that waits is waiting for
    expect(foot('georeference', states).text.length).toBeGreaterThan(foot('plan', states).text.length)
  })
  it('stays on a sheet that has something open, and says what', () => {
    const states: State[] = ['done', 'done', 'open', 'attention', 'waiting', 'waiting', 'waiting', 'waiting']
    const here = foot('register', states)
    expect(here.link).toBeUndefined()
    expect(here.text).toContain('Two findings are open')
  })
  it('speaks of passes where there are no scans', () => {
    const states: State[] = ['done', 'done', 'done', 'open', 'waiting', 'waiting', 'waiting', 'waiting']
    expect(foot('register', states).text).toContain('targets')
    expect(foot('register', states, 'owner', true).text).toContain('passes')
    expect(foot('register', states, 'owner', true).text).not.toContain('targets')
  })
  it('tells one who may not change that somebody else has to', () => {
    const states: State[] = ['open', ...all('waiting').slice(1)]
    expect(foot('brief', states, 'reviewer').text).not.toBe(foot('brief', states, 'owner').text)
    expect(foot('brief', states, 'client').text).toBe('')
  })
  it('ends when all is done', () => {
    const { text, link } = foot('deliver', all('done'))
    expect(link).toBeUndefined()
    expect(text.length).toBeGreaterThan(5)
  })
})
