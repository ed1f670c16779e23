import { fireEvent, screen, within } from '@testing-library/react'
import { describe, expect, it, vi } from 'vitest'
import { serve, show } from '../testing/page'
import { CloudTies, FindTies, inOrder } from './CloudTies'
import type { CloudTie, Ties } from './useTies'

const tie = (a: string, b: string, part: Partial<CloudTie> = {}): CloudTie =>
  ({
    id: `${a}${b}`,
    a,
    b,
    scan_a: a,
    scan_b: b,
    grade: 'sound',
    decision: '',
    takes_part: true,
    stale: false,
    reason: '',
    reasons: ['nothing speaks against it'],
    overlap: [0.42, 0.061],
    conflict: [0, 0.0312],
    rms: 0.0012,
    weakest95: 0.0021,
    heading95: 0.0001,
    distance: 9.5,
    version: 1,
    ...part,
  }) as CloudTie

const doubtful = (a: string, b: string, weakest95: number) =>
  tie(a, b, { grade: 'doubtful', takes_part: false, weakest95 })
const all = [
  tie('S1', 'S2'),
  tie('S2', 'S3', { grade: 'failed', takes_part: false }),
  doubtful('S1', 'S4', 0.013),
  doubtful('S3', 'S4', 1.7),
  tie('S4', 'S5', { laid_by: 'Ada', decision: 'accepted', grade: 'not_judged' }),
]

function open(part: Partial<Parameters<typeof CloudTies>[0]> = {}) {
  serve({ 'GET /card': () => ({ body: null }), 'GET /mend': () => ({ body: null }) })
  const onChoose = vi.fn()
  show(
    <CloudTies
      ties={{ ties: all } as Ties}
      result={undefined}
      picked={null}
      open={false}
      chosen={null}
      onChoose={onChoose}
      onHand={vi.fn()}
      {...part}
    />,
  )
  return onChoose
}
const names = () =>
  within(screen.getByRole('table'))
    .getAllByRole('row')
    .slice(1)
    .map((r) => r.querySelector('td')!.textContent)

describe('the ledger of ties by clouds', () => {
  it('begins with what waits for somebody, the worst held first, and leaves what failed for later', () => {
    expect(inOrder(all).map((t) => t.id)).toEqual(['S3S4', 'S1S4', 'S2S3', 'S4S5', 'S1S2'])
    expect(inOrder([])).toEqual([])
  })
  it('does not change the order of what it was given', () => {
    const given = [...all]
    inOrder(given)
    expect(given).toEqual(all)
  })
  it('shows shares both ways, small ones with a decimal', () => {
    open()
    const row = screen.getByText('S1–S2').closest('tr')!
    expect(row.textContent).toContain('42 / 6.1')
    expect(row.textContent).toContain('0.0 / 3.1')
  })
  it('gives millimetres for what is held, and no figure for what is not', () => {
    open()
    expect(screen.getByText('S1–S4').closest('tr')!.textContent).toContain('13.00')
    const loose = screen.getByText('S3–S4').closest('tr')!.textContent
    expect(loose).toContain('not held')
    expect(loose).not.toContain('1700')
  })
  it('says in the card that nothing holds it, beside how well its heading is held', () => {
    open({ chosen: 'S3S4' })
    expect(document.querySelector('.tie')!.textContent).toMatch(/nothing holds it, heading to 20\.?\d*″/)
  })
  it('says what somebody decided, and by whose hand it was laid', () => {
    open()
    const row = screen.getByText('S4–S5').closest('tr')!
    expect(row.textContent).toMatch(/accepted.*hand/)
  })
  it('says of an old one that it is out of date, not that it is used', () => {
    open({ ties: { ties: [tie('S1', 'S2', { stale: true })] } as Ties })
    const said = screen.getByText('S1–S2').closest('tr')!.textContent
    expect(said).toMatch(/out of date/)
    expect(said).not.toMatch(/used/)
  })
  it('keeps to one scan where one is picked', () => {
    open({ picked: 'S4' })
    expect(names()).toEqual(['S3–S4', 'S1–S4', 'S4–S5'])
  })
  it('strikes out what takes no part and reddens what does not agree with the rest', () => {
    open({
      result: {
        cloud_ties: [{ tie: 'S1S2', suspect: true, shift: 0.0019, p_value: 0.0004 }],
      } as Parameters<typeof CloudTies>[0]['result'],
    })
    expect(screen.getByText('S1–S4').closest('tr')!.className).toContain('off')
    const red = screen.getByText('S1–S2').closest('tr')!
    expect(red.className).toContain('bad')
    expect(red.textContent).toContain('1.90')
    expect(red.textContent).toContain('< 0.001')
  })
  it('is chosen by a click, and stepped through with N and P, round and round', () => {
    const onChoose = open({ chosen: 'S1S2' })
    fireEvent.keyDown(document.body, { key: 'n' })
    expect(onChoose).toHaveBeenLastCalledWith('S3S4')
    fireEvent.keyDown(document.body, { key: 'p' })
    expect(onChoose).toHaveBeenLastCalledWith('S4S5')
    fireEvent.click(screen.getByText('S2–S3'))
    expect(onChoose).toHaveBeenLastCalledWith('S2S3')
  })
  it('says what to do where there are none', () => {
    open({ ties: { ties: [] as CloudTie[] } as Ties })
    expect(screen.queryByRole('table')).toBeNull()
    expect(document.body.textContent).toMatch(/none yet/i)
  })
})

describe('the search for ties', () => {
  const ties = (part: Partial<Ties> = {}) =>
    ({ ties: [], searching: false, find: { isPending: false, mutate: vi.fn() }, ...part }) as unknown as Ties
  it('needs two scans', () => {
    show(<FindTies ties={ties()} scans={1} />)
    expect(screen.getByRole('button')).toHaveProperty('disabled', true)
  })
  it('starts once', () => {
    const t = ties()
    show(<FindTies ties={t} scans={2} />)
    fireEvent.click(screen.getByRole('button'))
    expect(t.find.mutate).toHaveBeenCalledTimes(1)
  })
  it('cannot be asked for while it runs', () => {
    const t = ties({ searching: true })
    show(<FindTies ties={t} scans={4} />)
    fireEvent.click(screen.getByRole('button'))
    expect(t.find.mutate).not.toHaveBeenCalled()
  })
})
