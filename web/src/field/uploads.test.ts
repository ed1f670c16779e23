// @vitest-environment node
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Handlers } from './tus'
import { type Entry, pace, Uploads, uploadsOf } from './uploads'

interface Sent {
  name: string
  metadata: Record<string, string>
  on: Handlers
  aborted: boolean
}
const { sent } = vi.hoisted(() => ({ sent: [] as Sent[] }))
vi.mock('./tus', () => ({
  send: (_job: string, file: File, metadata: Record<string, string>, on: Handlers) => {
    const s = { name: file.name, metadata, on, aborted: false }
    sent.push(s)
    return Promise.resolve({
      abort: () => {
        s.aborted = true
        return Promise.resolve()
      },
    })
  },
}))

const file = (name: string, bytes = 10) => new File([new Uint8Array(bytes)], name)
const settled = () => new Promise((r) => setTimeout(r))
const states = (u: Uploads) => u.queue.map((e) => e.state)
const names = () => sent.map((s) => s.name)

let ended: string[] = []
const make = () => new Uploads('job', (j) => ended.push(j))

beforeEach(() => {
  sent.length = 0
  ended = []
  // stations are proposed by the names, the second before the first
  vi.stubGlobal('fetch', async (request: Request) => {
    const { names: asked } = (await request.json()) as { names: string[] }
    const order = asked.map((_, k) => ({ file: asked.length - 1 - k, station: `S${k}` }))
    return new Response(JSON.stringify(order), { headers: { 'content-type': 'application/json' } })
  })
})

describe('files for a job', () => {
  it('come in the order and with the stations that are proposed; what is no scan is named', async () => {
    const u = make()
    await u.add([file('a.e57'), file('notes.docx'), file('b.LAZ')])
    expect(u.queue.map((e) => [e.file.name, e.station])).toEqual([
      ['b.LAZ', 'S0'],
      ['a.e57', 'S1'],
    ])
    expect(u.leftAside).toEqual(['notes.docx'])
    expect(sent).toEqual([])
  })

  it('come without stations when nobody can be asked', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('down')))
    const u = make()
    await u.add([file('a.e57'), file('b.e57')])
    expect(u.queue.map((e) => [e.file.name, e.station])).toEqual([
      ['a.e57', null],
      ['b.e57', null],
    ])
  })

  it('go two at a time, each begun when the one before is announced', async () => {
    const u = make()
    await u.add(['c.e57', 'b.e57', 'a.e57'].map((n) => file(n)))
    u.startAll()
    expect(names()).toEqual(['a.e57'])
    sent[0]!.on.created()
    expect(names()).toEqual(['a.e57', 'b.e57'])
    sent[1]!.on.created()
    expect(states(u)).toEqual(['sending', 'sending', 'waiting'])
    await settled()
    sent[0]!.on.done()
    expect(names()).toEqual(['a.e57', 'b.e57', 'c.e57'])
    expect(states(u)).toEqual(['done', 'sending', 'sending'])
    expect(ended).toEqual(['job'])
  })

  it('carry what was set for them, as it is when they go', async () => {
    const u = make()
    await u.add([file('a.xyz')])
    u.set(u.queue[0]!.key, { unit: 'ftUS', columns: [2, 1, 3] })
    u.setCommon({ levelled: false, scanner: [1, 2, 3] })
    u.startAll()
    expect(sent[0]!.metadata).toEqual({
      levelled: 'false',
      unit: 'ftUS',
      up: 'z',
      x: '1',
      y: '2',
      z: '3',
      station: 'S0',
      columns: '2 1 3',
    })
  })

  it('do not stop the others when one fails, and go again', async () => {
    const u = make()
    await u.add(['b.e57', 'a.e57'].map((n) => file(n)))
    u.startAll()
    await settled()
    sent[0]!.on.failed('line 4: found “x”, expected a number')
    expect(u.queue[0]).toMatchObject({ state: 'failed', reason: 'line 4: found “x”, expected a number' })
    expect(names()).toEqual(['a.e57', 'b.e57'])
    sent[1]!.on.created()
    u.again(u.queue[0]!.key)
    expect(names()).toEqual(['a.e57', 'b.e57', 'a.e57'])
    expect(u.queue[0]).toMatchObject({ state: 'sending', reason: '' })
  })

  it('are taken back while they go, and the next goes', async () => {
    const u = make()
    await u.add(['c.e57', 'b.e57', 'a.e57'].map((n) => file(n)))
    u.startAll()
    sent[0]!.on.created()
    sent[1]!.on.created()
    await settled()
    u.remove(u.queue[0]!.key)
    expect(sent[0]!.aborted).toBe(true)
    expect(names()).toEqual(['a.e57', 'b.e57', 'c.e57'])
    expect(u.queue.map((e) => e.file.name)).toEqual(['b.e57', 'c.e57'])
  })

  it('tell those who look, once for each change', async () => {
    const u = make()
    const heard = vi.fn()
    const leave = u.subscribe(heard)
    const before = u.snapshot()
    await u.add([file('a.e57')])
    expect(heard).toHaveBeenCalledTimes(2)
    expect(u.snapshot()).not.toBe(before)
    leave()
    u.startAll()
    expect(heard).toHaveBeenCalledTimes(2)
  })

  it('are kept for each job by itself', () => {
    expect(uploadsOf('1')).toBe(uploadsOf('1'))
    expect(uploadsOf('1')).not.toBe(uploadsOf('2'))
  })

  it('say how much is left and how fast it goes, from where it began', () => {
    const now = performance.now()
    const of = (state: Entry['state'], size: number, part: Partial<Entry>) =>
      ({ file: file('x', size), state, sent: 0, from: 0, began: 0, ...part }) as Entry
    // half was there from before the line broke
    const active = [of('sending', 1000, { sent: 750, from: 500, began: now - 1000 }), of('waiting', 300, {})]
    const { left, rate } = pace(active)
    expect(left).toBe(550)
    expect(rate).toBeGreaterThan(200)
    expect(rate).toBeLessThan(251)
  })
})
