import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Schema } from '../api/client'
import { UnitContext, unitsOf } from '../lib/units'
import { refused, serve, show } from '../testing/page'
import Check from './Check'
import Deliver from './Deliver'

type Verdict = Schema['VerdictDto']
const row = (requirement: string, verdict: string, part: Partial<Verdict> = {}): Verdict => ({
  requirement,
  required: 0.006,
  predicted: 0.00277,
  achieved: 0.00575,
  bound: null,
  verdict: verdict as Verdict['verdict'],
  evidence: '9 of 9 targets within the limit, worst at K3',
  ...part,
})
const open = (rows: Verdict[], role = 'owner', unit = 'm') => {
  const sent = serve({
    'GET /verdicts': () => ({ body: rows }),
    'GET /georeference': () => ({ body: null }),
    'GET /tasks': () => ({ body: [] }),
    'GET /shown': () => ({ body: null }),
    'POST /spacing': () => ({ body: {} }),
  })
  show(
    <UnitContext value={unitsOf(unit)}>
      <Check />
    </UnitContext>,
    { role },
  )
  return sent
}
const table = async () =>
  within(await screen.findByRole('table'))
    .getAllByRole('row')
    .slice(1)

describe('the check', () => {
  it('says first what is not met, then what is not shown, then that all is', async () => {
    const all: [string[], RegExp][] = [
      [['met', 'not met', 'not demonstrated'], /1 of 3/],
      [['met', 'not demonstrated', 'not demonstrated'], /2 of 3/],
      [['met', 'met'], /2/],
    ]
    for (const [verdicts, told] of all) {
      open(verdicts.map((v, k) => row(`R${k}`, v)))
      await table()
      expect(document.querySelector('h3, [class*=title], strong')?.textContent ?? document.body.textContent).toMatch(
        told,
      )
      document.body.replaceChildren()
    }
  })
  it('gives a row for each requirement, in the unit of the job', async () => {
    open([row('Height, 95 %', 'met', { bound: 0.0061 })])
    const [first] = await table()
    expect(first!.dataset.verdict).toBe('met')
    expect(
      within(first!)
        .getAllByRole('cell')
        .map((c) => c.textContent)
        .slice(0, 4),
    ).toEqual(['Height, 95 %', '6.00', '2.77', expect.stringMatching(/^5\.75.*6\.10/) as string])
    document.body.replaceChildren()
    open([row('Height, 95 %', 'met')], 'owner', 'ft')
    expect((await table())[0]!.textContent).toContain('0.01969')
  })
  it('says once what several rows rest on', async () => {
    const grounds = (own: string) => ['no check points', own]
    const said = (name: string, own: string) =>
      row(name, 'not demonstrated', { evidence: grounds(own).join('; '), grounds: grounds(own) })
    open([said('A', 'worst at K1'), said('B', 'worst at K2'), said('C', 'worst at K3'), row('D', 'met')])
    const told = (await table()).map((r) => r.textContent)
    expect(told.map((t) => t.includes('no check points'))).toEqual([false, false, false, false])
    expect(told[1]).toContain('as said above; worst at K2')
    expect(document.body.textContent).toContain('no check points')
  })
  it('shows a dash where nothing was predicted or achieved', async () => {
    open([row('Height, 95 %', 'not demonstrated', { predicted: null, achieved: null })])
    const cells = within((await table())[0]!).getAllByRole('cell')
    expect([cells[2]!.textContent, cells[3]!.textContent]).toEqual(['–', '–'])
  })
  it('measures the spacing where it is asked for, by one who may', async () => {
    const spacing = row('Point spacing on required surfaces', 'not demonstrated', { asked: 'spacing' })
    const sent = open([spacing])
    await table()
    fireEvent.click(screen.getByRole('button', { name: 'See it' }))
    fireEvent.click(await screen.findByRole('button', { name: /Measure point spacing/ }))
    await waitFor(() => expect(sent.map((s) => s.call)).toEqual(['POST /api/jobs/j/spacing']))
    document.body.replaceChildren()
    open([spacing], 'reviewer')
    await table()
    fireEvent.click(screen.getByRole('button', { name: 'See it' }))
    await screen.findByText(/Not measured yet/)
    expect(screen.queryByRole('button', { name: /Measure point spacing|Look for/ })).toBeNull()
  })
  it('shows a client nothing before it is signed, and says so', async () => {
    serve({ 'GET /verdicts': () => refused('not found', 404) })
    show(<Check />, { role: 'client' })
    await waitFor(() => expect(document.querySelector('.empty')).toBeTruthy())
    expect(screen.queryByRole('table')).toBeNull()
  })
})

describe('the packages', () => {
  const pack = (revision: number): Schema['PackageDto'] =>
    ({
      id: `p${revision}`,
      job_id: 'j',
      revision,
      created_at: '2026-03-01T07:05:00Z',
      bytes: 2_500_000,
      stale: false,
      prepared_by: null,
      checked_by: null,
      manifest: {},
    }) as unknown as Schema['PackageDto']
  it('are made as one asks, with what is ticked', async () => {
    const offered = (what: string, asked: boolean) => ({ what, asked, drawn: null, bytes: 2e6, seconds: 3 })
    const sent = serve({
      'GET /packages': () => ({ body: [] }),
      'GET /deliverables': () => ({ body: [offered('laz', false), offered('copc', true)] }),
      'GET /tasks': () => ({ body: [] }),
      'GET /log': () => ({ body: [] }),
      'POST /packages': () => ({ body: {} }),
    })
    show(<Deliver />)
    const box = (k: number) => document.querySelectorAll<HTMLInputElement>('.ledger input[type=checkbox]')[k]!
    await waitFor(() => expect(box(1)).toBeTruthy())
    // what the brief asks for is ticked, and one more is added
    expect([box(0).checked, box(1).checked]).toEqual([false, true])
    fireEvent.click(box(0))
    fireEvent.click(screen.getAllByRole('button')[0]!)
    await waitFor(() => expect(sent).toHaveLength(1))
    expect(sent[0]).toEqual({
      call: 'POST /api/jobs/j/packages',
      body: {
        formats: ['copc', 'laz'],
        errors: true,
        per_scan: false,
        clip_min: [null, null, null],
        clip_max: [null, null, null],
        thin: null,
        leave_out: false,
      },
    })
  })
  it('that came before stay to be fetched', async () => {
    serve({
      'GET /packages': () => ({ body: [3, 2, 1].map(pack) }),
      'GET /tasks': () => ({ body: [] }),
      'GET /log': () => ({ body: [{ id: 1, at: '2026-03-01T07:05:00Z', who: 'Ada', what: 'changed the brief' }] }),
    })
    show(<Deliver />, { role: 'reviewer' })
    await waitFor(() => expect(document.querySelectorAll('a[href*=download]').length).toBeGreaterThan(0))
    const links = [...document.querySelectorAll('a[href*=download]')].map((a) => a.getAttribute('href'))
    expect(links[0]).toBe('/api/jobs/j/packages/p3/download')
  })
})
