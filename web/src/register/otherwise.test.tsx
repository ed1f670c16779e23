import { fireEvent, screen, waitFor } from '@testing-library/react'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Schema } from '../api/client'
import { serve, show } from '../testing/page'
import { Consequence, Otherwise } from './Otherwise'
import { TieCard } from './TieCard'
import type { CloudTie, TieCardData, Ties } from './useTies'

type Change = Schema['OtherwiseDto']
const worst = (spatial: number, station: string) => ({ spatial, station })
const change = (part: Partial<Change> = {}): Change => ({
  with: false,
  now: worst(0.0031, 'S4'),
  then: worst(0.0044, 'S9'),
  p: 0.4,
  p_then: 0.4,
  findings: 1,
  findings_then: 1,
  unplaced: [],
  unplaced_then: [],
  refused: null,
  ...part,
})
const says = (part: Partial<Change>) => {
  const view = show(<Otherwise of={change(part)} head="Without it" />)
  const said = { text: view.container.textContent, warns: view.container.querySelector('.warn') !== null }
  view.unmount()
  return said
}

describe('what another decision would change', () => {
  it('is the weakest station now and then', () => {
    const { text, warns } = says({})
    expect(text).toMatch(/3\.10 mm \(S4\).*4\.40 mm \(S9\)/)
    expect(text).not.toContain('p 0.4')
    expect(warns).toBe(false)
  })
  it('names scans that would be lost as a warning, and those that would be won', () => {
    const lost = says({ unplaced: ['S1'], unplaced_then: ['S1', 'S7', 'S8'] })
    expect(lost.warns).toBe(true)
    expect(lost.text).toContain('S7, S8')
    expect(lost.text).not.toContain('S1')
    const won = says({ unplaced: ['S1', 'S2'], unplaced_then: ['S2'] })
    expect(won.warns).toBe(false)
    expect(won.text).toContain('S1')
  })
  it('says the tests where they change', () => {
    expect(says({ p: 0.00001, p_then: 0.553 }).text).toContain('p < 0.001 → 0.553')
    expect(says({ findings_then: 0 }).text).not.toBe(says({}).text)
  })
  it('says why nothing would come of it', () => {
    const { text, warns } = says({ refused: 'no two scans have 3 targets in common' })
    expect(text).toContain('no two scans')
    expect(warns).toBe(true)
  })
  it('is worked out when it is looked at, and takes no room when it cannot be', async () => {
    const sent = serve({ 'POST /otherwise': () => ({ body: change() }) })
    const view = show(<Consequence choice={{ ids: ['a'], excluded: true }} head="Left out" at="1" />)
    await waitFor(() => expect(view.container.textContent).toContain('4.40 mm'))
    expect(sent[0]!.body).toEqual({ ids: ['a'], excluded: true })
    view.unmount()
    serve({ 'POST /otherwise': () => ({ status: 409, body: { error: 'out of date' } }) })
    const other = show(<Consequence choice={{ ids: ['b'] }} head="Left out" at="2" />)
    await waitFor(() => expect(other.container.textContent).toBe(''))
  })
})

const tie = (part: Partial<CloudTie> = {}): CloudTie =>
  ({
    id: 't',
    version: 3,
    a: 'S1',
    b: 'S2',
    scan_a: 'sa',
    scan_b: 'sb',
    grade: 'doubtful',
    decision: '',
    takes_part: false,
    reasons: ['another place is 93 % as good'],
    distance: 7.4,
    weakest95: 0.004,
    heading95: 1e-4,
    overlap: [0.4, 0.3],
    conflict: [0, 0],
    rival: { shift: 4.5, turn: 0.39, share: 0.93, overlap: [0.4, 0.3], conflict: [0, 0] },
    ...part,
  }) as unknown as CloudTie
const card: TieCardData = {
  slices: ['plan', 'along', 'across'].map((cut, k) => ({
    cut,
    at: 0.5,
    first: [[0, 0]],
    second: [[1, 1]],
    conflict: k === 2 ? [[0.5, 0.5]] : [],
    offset: k === 1 ? null : 0.0042,
    offset95: 0.0003,
  })),
  distances: [{ from: 0, count: 40 }],
  otherwise: change({ with: true }),
} as unknown as TieCardData

describe('a tie', () => {
  const decide = vi.fn()
  const lift = vi.fn()
  const asked: string[] = []
  const ties = { decide: { mutate: decide }, lift: { mutate: lift } } as unknown as Ties
  const step = vi.fn()
  const hand = vi.fn()
  const open = (of: CloudTie, may = true) =>
    show(<TieCard tie={of} ties={ties} open={may} onStep={step} onClose={() => undefined} onHand={hand} />)
  const button = (name: RegExp) => screen.getByRole('button', { name })
  beforeEach(() => {
    ;[decide, lift, step, hand].forEach((f) => f.mockClear())
    asked.length = 0
    serve({
      'GET /card': (r) => {
        asked.push(r.query.get('rival') ?? '')
        return { body: card }
      },
      'GET /one-more': () => ({ body: null }),
    })
  })

  it('is shown in three slices, each with how far it is apart and what contradicts', async () => {
    open(tie())
    await waitFor(() => expect(document.querySelectorAll('figure.slice')).toHaveLength(3))
    const said = [...document.querySelectorAll('figure.slice')].map((f) => f.textContent)
    expect(said[0]).toContain('4.20 ± 0.30 mm')
    expect(said[1]).not.toContain('mm')
    expect(document.querySelectorAll('figure.slice .bad')).toHaveLength(1)
    expect(document.body.textContent).toContain('another place is 93 % as good')
  })
  it('is accepted or rejected with a reason, and by its version', async () => {
    open(tie())
    fireEvent.change(screen.getByRole('textbox'), { target: { value: 'seen on site' } })
    fireEvent.click(button(/accept/i))
    fireEvent.click(button(/reject/i))
    expect(decide.mock.calls.map((c) => (c[0] as unknown[])[0])).toEqual([
      { tie: tie(), decision: 'accepted', reason: 'seen on site' },
      { tie: tie(), decision: 'rejected', reason: 'seen on site' },
    ])
    await waitFor(() => expect(asked).toEqual(['false']))
  })
  it('shows the next best place when it is asked for', async () => {
    open(tie())
    await waitFor(() => expect(asked).toEqual(['false']))
    fireEvent.click(document.querySelector('button.link')!)
    await waitFor(() => expect(asked).toEqual(['false', 'true']))
  })
  it('offers only what can be done: what takes part is not accepted, what was laid is taken back', () => {
    open(tie({ takes_part: true, laid_by: 'Ada' }))
    expect(screen.queryByRole('button', { name: /accept/i })).toBeNull()
    fireEvent.click(button(/take back/i))
    expect(lift).toHaveBeenCalledTimes(1)
    fireEvent.click(button(/^lay it by hand/i))
    expect(hand).toHaveBeenCalledWith({ a: 'sa', b: 'sb' })
  })
  it('is walked by keys, and only looked at where the block is closed', () => {
    open(tie(), false)
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'n', bubbles: true }))
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'p', bubbles: true }))
    expect(step.mock.calls).toEqual([[1], [-1]])
    expect(screen.queryByRole('button', { name: /reject/i })).toBeNull()
  })
})
