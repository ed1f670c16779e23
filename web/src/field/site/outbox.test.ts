import 'fake-indexeddb/auto'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { refused, serve } from '../../testing/page'
import type { Fact } from './outbox'

const tick = (item: string): Fact => ({ kind: 'tick', data: { item, done: true, note: '' } })

const IDA = { id: 'ida', name: 'Ida' }

// a database of its own for each test
let box: typeof import('./outbox')
beforeEach(async () => {
  vi.resetModules()
  globalThis.indexedDB = new IDBFactory()
  box = await import('./outbox')
})

describe('what waits on the device', () => {
  it('is sent in order, files before the entries that speak of them, and is gone when the server has it', async () => {
    const sent = serve({
      'PUT files/[^/]+': () => ({ body: {} }),
      'POST journal': ({ body }) => ({
        body: (body as { entries: { id: string }[] }).entries.map((e) => ({ id: e.id, kept: true, why: null })),
      }),
    })
    await box.write('j', IDA, tick('lens'), [])
    const photograph = { id: 'f', name: 'crack.png', media: 'image/png', bytes: new Blob(['x']) }
    await box.write('j', IDA, tick('warm'), ['a'], [photograph])
    await box.write('other', IDA, tick('site'), [])
    expect(await box.send('j', 'ida', 'Tablet')).toEqual({ entries: 2, reached: true })
    expect(sent.map((s) => s.call.split('/').slice(-2).join('/'))).toEqual(['files/f', 'field/journal'])
    const body = sent[1]?.body as { device: string; entries: { fact: Fact; follows: string[] }[] }
    expect(body.device).toBe('Tablet')
    expect(body.entries.map((e) => [e.fact, e.follows])).toEqual([
      [tick('lens'), []],
      [tick('warm'), ['a']],
    ])
    const left = await box.waiting('j')
    expect([left.entries.length, left.files.length]).toEqual([0, 0])
    // another job's waits for its own page
    expect((await box.waiting('other')).entries).toHaveLength(1)
  })
  it('is sent by whoever wrote it only', async () => {
    const sent = serve({ 'POST journal': () => ({ body: [] }) })
    await box.write('j', IDA, tick('lens'), [])
    expect(await box.send('j', 'jan', 'Tablet')).toEqual({ entries: 0, reached: true })
    expect(sent).toHaveLength(0)
    expect((await box.waiting('j')).entries[0]?.by.name).toBe('Ida')
  })
  it('stays while the server is away, and while somebody has to sign in again', async () => {
    await box.write('j', IDA, tick('lens'), [])
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('down')))
    expect(await box.send('j', 'ida', 'T')).toEqual({ entries: 0, reached: false })
    serve({ 'POST journal': () => refused('sign in first', 401) })
    expect(await box.send('j', 'ida', 'T')).toEqual({ entries: 0, reached: false })
    expect((await box.waiting('j')).entries).toHaveLength(1)
  })
  it('stays with its reason when the server would not keep it, and is not sent again', async () => {
    const sent = serve({
      'POST journal': ({ body }) => ({
        body: (body as { entries: { id: string }[] }).entries.map((e) => ({ id: e.id, kept: false, why: 'too tall' })),
      }),
    })
    await box.write('j', IDA, tick('lens'), [])
    await box.send('j', 'ida', 'T')
    await box.send('j', 'ida', 'T')
    expect(sent).toHaveLength(1)
    const [entry] = (await box.waiting('j')).entries
    expect(entry?.why).toBe('too tall')
    await box.discard(entry?.id ?? '')
    expect((await box.waiting('j')).entries).toHaveLength(0)
  })
  it('is whole or not there when the device is full', async () => {
    // photographs still fit, the entry does not
    const add = Object.getOwnPropertyDescriptor(IDBObjectStore.prototype, 'put')?.value as (v: unknown) => IDBRequest
    vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(function (this: IDBObjectStore, value: unknown) {
      if (this.name === 'entries') throw new DOMException('no room', 'QuotaExceededError')
      return add.call(this, value) as IDBRequest<IDBValidKey>
    })
    const photograph = { id: 'f', name: 'x', media: 'image/png', bytes: new Blob(['x']) }
    const full = await box.write('j', IDA, tick('lens'), [], [photograph]).catch((e: unknown) => e)
    expect(box.isFull(full)).toBe(true)
    vi.restoreAllMocks()
    const left = await box.waiting('j')
    expect([left.entries.length, left.files.length]).toEqual([0, 0])
  })
})
