import { act, waitFor } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import type { Item } from '../lib/hooks'
import { type Answer, refused, serve, hold } from '../testing/page'
import { usePlan } from './usePlan'

/** A server's plan: versions go up, an edit of a version that it has not is refused, deleted items are kept. */
class Store {
  items = new Map<string, Item>()
  refuse = false
  edit = (edits: Item[]): Answer => {
    if (this.refuse) return refused('somebody else changed it')
    const stale = edits.some((e) => (this.items.get(e.id)?.version ?? null) !== e.version)
    if (stale) return refused('stale')
    const out = edits.map((e): Item => ({ ...e, version: (e.version ?? 0) + 1 }))
    out.forEach((i) => this.items.set(i.id, i))
    return { body: out }
  }
  there = () => [...this.items.values()].filter((i) => !i.deleted).sort((a, b) => (a.id < b.id ? -1 : 1))
  names = () => this.there().map((i) => i.data.name)
}

let store: Store
beforeEach(() => {
  store = new Store()
  serve({ 'GET /plan': () => ({ body: store.there() }), 'POST /plan/edits': (r) => store.edit(r.body as Item[]) })
})
const open = () => hold(usePlan)
const data = (name: string): Item['data'] => ({ name, base: 0, top: 0, position: [0, 0, 0] })
const put = (id: string, name: string | null) => ({ id, kind: 'station', data: name === null ? null : data(name) })

describe('the plan', () => {
  it('undoes and does again what was made, changed and removed, each as one step', async () => {
    const plan = open()
    await act(() => plan.current.apply([put('a', 'S1'), put('b', 'S2')]))
    await act(() => plan.current.apply([put('a', 'Door')]))
    await act(() => plan.current.apply([put('b', null), put('c', 'S3')]))
    expect(store.names()).toEqual(['Door', 'S3'])
    await act(() => plan.current.undo())
    expect(store.names()).toEqual(['Door', 'S2'])
    await act(() => plan.current.undo())
    await act(() => plan.current.undo())
    expect(store.names()).toEqual([])
    expect(plan.current.canUndo).toBe(false)
    for (let k = 0; k < 3; k++) await act(() => plan.current.redo())
    expect(store.names()).toEqual(['Door', 'S3'])
    expect(plan.current.canRedo).toBe(false)
  })

  it('takes steps that are asked for at once one after the other', async () => {
    const plan = open()
    for (const n of ['S1', 'S2', 'S3', 'S4']) await act(() => plan.current.apply([put('a', n)]))
    await act(() => Promise.all([plan.current.undo(), plan.current.undo(), plan.current.undo()]))
    expect(store.names()).toEqual(['S1'])
    await act(() => Promise.all([plan.current.redo(), plan.current.redo()]))
    expect(store.names()).toEqual(['S3'])
  })

  it('forgets what could be done again once something else is done', async () => {
    const plan = open()
    await act(() => plan.current.apply([put('a', 'S1')]))
    await act(() => plan.current.apply([put('a', 'S2')]))
    await act(() => plan.current.undo())
    await act(() => plan.current.apply([put('a', 'S9')]))
    expect(plan.current.canRedo).toBe(false)
    await act(() => plan.current.undo())
    expect(store.names()).toEqual(['S1'])
  })

  it('keeps its steps when the server refuses one', async () => {
    const plan = open()
    await act(() => plan.current.apply([put('a', 'S1')]))
    await act(() => plan.current.apply([put('a', 'S2')]))
    store.refuse = true
    expect(await act(() => plan.current.undo())).toBe(false)
    expect(await act(() => plan.current.apply([put('a', 'S3')]))).toBe(false)
    store.refuse = false
    expect(plan.current.canUndo).toBe(true)
    await act(() => plan.current.undo())
    expect(store.names()).toEqual(['S1'])
  })

  it('changes nothing that somebody else changed meanwhile', async () => {
    const plan = open()
    await act(() => plan.current.apply([put('a', 'S1')]))
    const theirs = store.items.get('a')!
    store.items.set('a', { ...theirs, data: data('Theirs'), version: theirs.version + 1 })
    expect(await act(() => plan.current.apply([put('a', 'Mine')]))).toBe(false)
    expect(store.names()).toEqual(['Theirs'])
    // the plan is read again, and then goes on from theirs
    await waitFor(() => expect(plan.current.items[0]?.data.name).toBe('Theirs'))
    expect(await act(() => plan.current.apply([put('a', 'Mine')]))).toBe(true)
    await act(() => plan.current.undo())
    expect(store.names()).toEqual(['Theirs'])
  })

  it('comes back to any state that it went through, whatever was done', async () => {
    let seed = 7
    const random = (n: number) => {
      seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648
      return Math.floor((seed / 2_147_483_648) * n)
    }
    for (let run = 0; run < 6; run++) {
      store = new Store()
      const plan = open()
      const states = [JSON.stringify(store.names())]
      for (let k = 0; k < 25; k++) {
        const picked = [...new Set([random(6), random(6), random(6)])].slice(0, 1 + random(2))
        const changes = picked.map((i) =>
          put(`i${i}`, random(4) === 0 && store.items.has(`i${i}`) ? null : `N${k}-${i}`),
        )
        await act(() => plan.current.apply(changes))
        states.push(JSON.stringify(store.names()))
      }
      let at = states.length - 1
      for (let k = 0; k < 60; k++) {
        const back = random(2) === 0
        await act(() => (back ? plan.current.undo() : plan.current.redo()))
        at = Math.min(states.length - 1, Math.max(0, at + (back ? -1 : 1)))
        expect(JSON.stringify(store.names())).toBe(states[at])
      }
    }
  })
})
