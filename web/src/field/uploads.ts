import { useSyncExternalStore } from 'react'
import type * as tus from 'tus-js-client'
import { api, unwrap } from '../api/client'
import { send } from './tus'

/** A file on its way, or waiting to be. */
export interface Entry {
  key: string
  file: File
  station: string | null
  unit: string
  up: string
  columns: number[]
  state: 'ready' | 'waiting' | 'sending' | 'done' | 'failed'
  sent: number
  from: number
  began: number
  reason: string
}

/** What is set for all files of a job. */
export interface Common {
  levelled: boolean
  scanner: [number, number, number]
}

export const SCAN = /\.(e57|las|laz|ply|xyz|txt|pts|asc|csv)$/i
const AT_ONCE = 2

/** The files of one job. It lives above the sheets: another sheet, or another job, stops nothing. */
export class Uploads {
  queue: Entry[] = []
  common: Common = { levelled: true, scanner: [0, 0, 0] }
  leftAside: string[] = []
  private running = new Map<string, tus.Upload>()
  private announcing = false
  private listeners = new Set<() => void>()
  private version = 0
  constructor(
    readonly job: string,
    private ended: (job: string) => void,
  ) {}

  subscribe = (l: () => void) => {
    this.listeners.add(l)
    return () => this.listeners.delete(l)
  }
  snapshot = () => this.version
  private tell() {
    this.version++
    this.listeners.forEach((l) => l())
  }

  set(key: string, part: Partial<Entry>) {
    this.queue = this.queue.map((e) => (e.key === key ? { ...e, ...part } : e))
    this.tell()
  }
  setCommon(part: Partial<Common>) {
    this.common = { ...this.common, ...part }
    this.tell()
  }
  get active() {
    return this.queue.filter((e) => e.state === 'sending' || e.state === 'waiting')
  }

  /** Files that are scans come into the queue, with the station that their name speaks of. */
  async add(list: File[]) {
    const scans = list.filter((f) => SCAN.test(f.name))
    this.leftAside = list.filter((f) => !SCAN.test(f.name)).map((f) => f.name)
    this.tell()
    if (scans.length === 0) return
    const order = await api
      .POST('/api/jobs/{job}/uploads/propose', {
        params: { path: { job: this.job } },
        body: { names: scans.map((f) => f.name) },
      })
      .then(unwrap)
      .catch(() => scans.map((_, file) => ({ file, station: null })))
    const entries = order.map(({ file, station }): Entry => ({
      key: crypto.randomUUID(),
      file: scans[file]!,
      station: station ?? null,
      unit: 'm',
      up: 'z',
      columns: [],
      state: 'ready',
      sent: 0,
      from: 0,
      began: 0,
      reason: '',
    }))
    this.queue = [...this.queue.filter((e) => e.state !== 'done'), ...entries]
    this.tell()
  }

  startAll() {
    this.queue = this.queue.map((e) => (e.state === 'ready' ? { ...e, state: 'waiting' } : e))
    this.tell()
    this.next()
  }
  again(key: string) {
    this.set(key, { state: 'waiting' })
    this.next()
  }
  remove(key: string) {
    void this.running.get(key)?.abort(true)
    this.running.delete(key)
    this.queue = this.queue.filter((e) => e.key !== key)
    this.tell()
    this.next()
  }

  /** The next file begins once the one before it is announced: the scans keep their order. */
  private next() {
    const waiting = this.queue.find((e) => e.state === 'waiting')
    if (!waiting || this.announcing || this.queue.filter((e) => e.state === 'sending').length >= AT_ONCE) return
    this.announcing = true
    const announced = () => {
      this.announcing = false
      this.next()
    }
    this.set(waiting.key, { state: 'sending', began: performance.now(), reason: '' })
    void this.send(waiting, announced)
  }

  private async send(e: Entry, announced: () => void) {
    const [x, y, z] = this.common.scanner
    const meta: Record<string, string> = {
      levelled: String(this.common.levelled),
      unit: e.unit,
      up: e.up,
      x: String(x),
      y: String(y),
      z: String(z),
    }
    if (e.station) meta.station = e.station
    if (e.columns.length) meta.columns = e.columns.join(' ')
    let first = true
    const over = (part: Partial<Entry>) => {
      this.running.delete(e.key)
      this.set(e.key, part)
      this.ended(this.job)
      announced()
    }
    const upload = await send(this.job, e.file, meta, {
      created: announced,
      progress: (sent) => {
        this.set(e.key, first ? { sent, from: sent, began: performance.now() } : { sent })
        first = false
      },
      done: () => over({ state: 'done', sent: e.file.size }),
      failed: (reason) => over({ state: 'failed', reason }),
    })
    if (this.queue.some((q) => q.key === e.key && q.state === 'sending')) this.running.set(e.key, upload)
  }
}

const jobs = new Map<string, Uploads>()
let whenEnded: (job: string) => void = () => undefined
/** What is done when a file has come or failed. */
export const onEnded = (f: (job: string) => void) => {
  whenEnded = f
}

export function uploadsOf(job: string): Uploads {
  let u = jobs.get(job)
  if (!u) {
    u = new Uploads(job, (j) => whenEnded(j))
    jobs.set(job, u)
  }
  return u
}

/** The files of a job, as they are now. */
export function useUploads(job: string): Uploads {
  const u = uploadsOf(job)
  useSyncExternalStore(u.subscribe, u.snapshot)
  return u
}

/** Bytes to go and bytes a second of what is on its way. */
export function pace(active: Entry[]) {
  const left = active.reduce((s, e) => s + e.file.size - e.sent, 0)
  const rate = active
    .filter((e) => e.state === 'sending' && e.began)
    .reduce((s, e) => s + ((e.sent - e.from) / Math.max(performance.now() - e.began, 1)) * 1000, 0)
  return { left, rate }
}

if (typeof window !== 'undefined')
  window.addEventListener('beforeunload', (e) => {
    if ([...jobs.values()].some((u) => u.active.length > 0)) e.preventDefault()
  })
