import { act, renderHook } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import { merge, put, useDraft } from './draft'

describe('merge', () => {
  const base = { name: 'Hall', brief: { client: 'A', unit: 'm', origin: [0, 0, 0] } }
  it('takes what only one of two changed', () => {
    const mine = { ...base, brief: { ...base.brief, client: 'B' } }
    const theirs = { ...base, name: 'Yard', brief: { ...base.brief, origin: [1, 2, 3] } }
    const { value, conflicts } = merge(base, mine, theirs)
    expect(value).toEqual({ name: 'Yard', brief: { client: 'B', unit: 'm', origin: [1, 2, 3] } })
    expect(conflicts).toEqual([])
  })
  it('names what both changed, and keeps mine until somebody chooses', () => {
    const mine = { ...base, brief: { ...base.brief, client: 'B' } }
    const theirs = { ...base, brief: { ...base.brief, client: 'C' } }
    const { value, conflicts } = merge(base, mine, theirs)
    expect(value.brief.client).toBe('B')
    expect(conflicts).toEqual([{ path: 'brief.client', mine: 'B', theirs: 'C' }])
    expect(put(value, 'brief.client', 'C').brief.client).toBe('C')
  })
  it('sees the same change by both as none', () => {
    const both = { ...base, name: 'Yard' }
    expect(merge(base, both, both)).toEqual({ value: both, conflicts: [] })
  })
})

describe('a draft', () => {
  beforeEach(() => localStorage.clear())
  const first = { a: 1, b: 1 }
  const open = (server: typeof first, version: number) =>
    renderHook(({ s, v }) => useDraft('k', s, v), { initialProps: { s: server, v: version } })

  it('survives the page and carries the version that it began from', () => {
    const one = open(first, 4)
    act(() => one.result.current.set({ a: 2, b: 1 }))
    one.unmount()
    const two = open(first, 4)
    expect(two.result.current.value).toEqual({ a: 2, b: 1 })
    expect(two.result.current).toMatchObject({ changed: true, version: 4 })
    act(() => two.result.current.set(first))
    expect(two.result.current.changed).toBe(false)
    expect(localStorage.length).toBe(0)
  })
  it('takes in what others saved, and is saved over no version that it has not seen', () => {
    const d = open(first, 4)
    act(() => d.result.current.set({ a: 2, b: 1 }))
    d.rerender({ s: { a: 1, b: 7 }, v: 5 })
    expect(d.result.current.value).toEqual({ a: 2, b: 7 })
    expect(d.result.current).toMatchObject({ version: 5, conflicts: [] })
  })
  it('shows a conflict side by side until it is settled', () => {
    const d = open(first, 4)
    act(() => d.result.current.set({ a: 2, b: 1 }))
    d.rerender({ s: { a: 3, b: 1 }, v: 5 })
    expect(d.result.current.conflicts).toEqual([{ path: 'a', mine: 2, theirs: 3 }])
    act(() => d.result.current.settle('a', 'theirs'))
    expect(d.result.current).toMatchObject({ value: { a: 3, b: 1 }, conflicts: [], changed: false })
  })
})
