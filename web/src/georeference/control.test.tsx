import { act, waitFor } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import { dismissAll, useSaid } from '../lib/errors'
import { type Answer, refused, serve, hold } from '../testing/page'
import { type Control, type NewControl, useControl } from './useControl'

/** A server's control points with their versions. */
class Store {
  rows: Control[] = []
  private late = () => refused('somebody changed this since you opened it')
  private at = (path: string) => this.rows.find((r) => r.id === path.split('/control/')[1])
  add = ({ id, point }: { id: string; point: NewControl }): Answer => {
    if (this.rows.some((r) => r.name === point.name)) return this.late()
    this.put({ ...point, id, job_id: 'j', version: 1 } as Control)
    return { body: this.rows }
  }
  change = (path: string, { point, version }: { point: NewControl; version: number }): Answer => {
    const row = this.at(path)
    if (row?.version !== version) return this.late()
    this.put({ ...point, id: row.id, job_id: 'j', version: row.version + 1 } as Control)
    return { body: this.rows }
  }
  remove = (path: string, version: number): Answer => {
    const row = this.at(path)
    if (row?.version !== version) return this.late()
    this.rows = this.rows.filter((r) => r !== row)
    return { body: this.rows }
  }
  put(row: Control) {
    this.rows = [...this.rows.filter((r) => r.id !== row.id), row].sort((a, b) => (a.name < b.name ? -1 : 1))
  }
  shown = () => this.rows.map((r) => `${r.name}${r.is_check ? ' check' : ''}${r.target ? ` = ${r.target}` : ''}`)
}

let store: Store
beforeEach(() => {
  store = new Store()
  dismissAll()
  serve({
    'GET /control': () => ({ body: store.rows }),
    'POST /control/points': (r) => store.add(r.body as Parameters<Store['add']>[0]),
    'PUT /control/[^/]+': (r) => store.change(r.path, r.body as Parameters<Store['change']>[1]),
    'DELETE /control/[^/]+': (r) => store.remove(r.path, Number(r.query.get('version'))),
  })
})
const open = () => hold(() => ({ control: useControl(), said: useSaid() }))
const point = (name: string): NewControl => ({
  name,
  e: 1,
  n: 2,
  h: 3,
  sigma_e: 0.001,
  sigma_n: 0.001,
  sigma_v: 0.001,
  is_check: false,
})
type Opened = ReturnType<typeof open>
/** Does something, and waits until the page shows what the server has. */
async function then(page: Opened, work: () => void, shown: string[]) {
  act(work)
  await waitFor(() => {
    expect(store.shown()).toEqual(shown)
    expect(page.current.control.rows).toEqual(store.rows)
    expect(page.current.control.undo ?? page.current.control.redo).toBeDefined()
  })
}
const row = (page: Opened, name: string) => page.current.control.rows.find((r) => r.name === name)!

describe('control points', () => {
  it('are added, changed and removed, and all of it is undone and done again', async () => {
    const page = open()
    await then(page, () => page.current.control.add(point('A')), ['A'])
    await then(page, () => page.current.control.add(point('B')), ['A', 'B'])
    await then(page, () => page.current.control.change(row(page, 'A'), { is_check: true }), ['A check', 'B'])
    await then(page, () => page.current.control.change(row(page, 'B'), { target: 'K7' }), ['A check', 'B = K7'])
    await then(page, () => page.current.control.remove(row(page, 'A')), ['B = K7'])
    const past = [['A check', 'B = K7'], ['A check', 'B'], ['A', 'B'], ['A'], []]
    for (const state of past) await then(page, () => page.current.control.undo!(), state)
    expect(page.current.control.undo).toBeUndefined()
    for (const state of [...past.slice(0, -1).reverse(), ['B = K7']])
      await then(page, () => page.current.control.redo!(), state)
    expect(page.current.control.redo).toBeUndefined()
  })

  it('that come back by undo are what they were, with their identifier', async () => {
    const page = open()
    await then(page, () => page.current.control.add({ ...point('A'), is_check: true, target: 'K1' }), ['A check = K1'])
    const before = row(page, 'A')
    await then(page, () => page.current.control.remove(before), [])
    await then(page, () => page.current.control.undo!(), ['A check = K1'])
    expect({ ...row(page, 'A'), version: 0 }).toEqual({ ...before, version: 0 })
  })

  it('are not overwritten when somebody else changed them, and it is said', async () => {
    const page = open()
    await then(page, () => page.current.control.add(point('A')), ['A'])
    await then(page, () => page.current.control.change(row(page, 'A'), { is_check: true }), ['A check'])
    store.put({ ...store.rows[0]!, target: 'theirs', version: 9 })
    act(() => page.current.control.undo!())
    await waitFor(() => expect(page.current.said).toHaveLength(1))
    expect(store.shown()).toEqual(['A check = theirs'])
    // the page reads it again
    await waitFor(() => expect(row(page, 'A').target).toBe('theirs'))
  })
})
