import { fireEvent, screen } from '@testing-library/react'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Schema } from '../api/client'
import { serve, show } from '../testing/page'
import { Findings } from './Findings'
import type { Registration } from './useRegistration'

type Finding = Schema['FindingDto']
const finding = (key: string, kind: Finding['kind'], part: Partial<Finding> = {}): Finding => ({
  key,
  kind,
  title: `${key} is wrong`,
  evidence: [`${key}: 12.0 mm ± 1.2 mm (95 %)`],
  meaning: 'It bends the block.',
  before: [],
  after: [],
  kept: false,
  ...part,
})
const decide = vi.fn()
const keep = vi.fn()
const open = (findings: Finding[], part: Partial<Registration> = {}) => {
  const of = {
    result: { findings },
    open: true,
    edit: true,
    decide: { mutate: decide },
    keep: { mutate: keep },
    adjustment: { id: 'adjusted' },
    ...part,
  } as unknown as Registration
  const onShow = vi.fn()
  return { onShow, view: show(<Findings of={of} onShow={onShow} />) }
}
const buttons = () => screen.queryAllByRole('button').map((b) => b.textContent)
beforeEach(() => {
  decide.mockClear()
  keep.mockClear()
  serve({ 'POST /otherwise': () => ({ status: 409, body: { error: 'not now' } }) })
})

describe('findings', () => {
  it('of a wrong sighting are settled by leaving it out', () => {
    open([finding('K3', 'outlier', { after: ['o1'] })])
    fireEvent.click(screen.getAllByRole('button')[0]!)
    expect(decide).toHaveBeenCalledWith({ ids: ['o1'], excluded: true })
  })
  it('of a moved target are settled in three ways, none of which is taken by itself', () => {
    open([finding('K3', 'moved', { target: 'K3', before: ['a', 'b'], after: ['c'] })])
    expect(decide).not.toHaveBeenCalled()
    const [, two, after, before] = screen.getAllByRole('button')
    ;[two, after, before].forEach((b) => fireEvent.click(b!))
    expect(decide.mock.calls.map((c) => c[0] as unknown)).toEqual([
      { ids: ['c'], part: 1 },
      { ids: ['c'], excluded: true },
      { ids: ['a', 'b'], excluded: true },
    ])
  })
  it('offer no way that has nothing to leave out', () => {
    open([finding('S3', 'tripod', { before: [], after: ['c'] })])
    const ways = buttons().length
    open([finding('S4', 'tripod', { before: ['a'], after: ['c'] })])
    expect(buttons().length).toBe(2 * ways + 1)
  })
  it('show the target that they are of', () => {
    const { onShow } = open([finding('K3', 'moved', { target: 'K3', before: ['a'], after: ['c'] })])
    fireEvent.click(screen.getAllByRole('button')[0]!)
    expect(onShow).toHaveBeenCalledWith('K3')
  })
  it('are kept as they are, and opened again', () => {
    const f = finding('K3', 'outlier', { after: ['o1'], kept: true })
    open([f])
    fireEvent.click(screen.getAllByRole('button').at(-1)!)
    expect(keep).toHaveBeenCalledWith(f)
  })
  it('of lost scans are said once when there are many, with the reason of each', () => {
    const lost = ['S1', 'S2', 'S3', 'S4'].map((s) => finding(s, 'unplaced'))
    const { view } = open([...lost, finding('K9', 'outlier', { after: ['o'] })])
    expect(screen.queryByText('S1 is wrong')).toBeNull()
    for (const f of lost) expect(view.container.textContent).toContain(f.evidence[0])
    expect(view.container.textContent).toContain('K9 is wrong')
    view.unmount()
    open(lost.slice(0, 2))
    expect(screen.getByText('S1 is wrong')).toBeTruthy()
  })
  it('are only read where the block is closed, or by one who may not change it', () => {
    open([finding('K3', 'moved', { before: ['a'], after: ['c'] })], { open: false, edit: false })
    expect(buttons()).toEqual([])
  })
})
