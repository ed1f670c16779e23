import { type DBSchema, type IDBPDatabase, openDB } from 'idb'
import { api, ApiError, type Schema, unwrap } from '../../api/client'

export type Fact = Schema['FactDto']

/** A person, as entries name one. */
export interface Author {
  id: string
  name: string
}

/** An entry that was made here and is not on the server yet. */
export interface Unsent {
  id: string
  job: string
  /** Who wrote it: nobody else sends it, whoever signs in on this device next. */
  by: Author
  fact: Fact
  follows: string[]
  /** By the clock of this device. */
  takenAt: string
  /** In which order. */
  order: number
  /** Why the server did not keep it; it waits for whoever wrote it. */
  why: string | null
}

/** A photograph, voice or paper that is not on the server yet. */
export interface UnsentFile {
  id: string
  job: string
  by: Author
  name: string
  media: string
  bytes: Blob
}

/** A file as it is chosen. */
export type Attached = Omit<UnsentFile, 'job' | 'by'>

interface Kept extends DBSchema {
  entries: { key: string; value: Unsent }
  files: { key: string; value: UnsentFile }
}

let opened: Promise<IDBPDatabase<Kept>> | undefined
const open = () =>
  (opened ??= openDB<Kept>('vistazo-field', 1, {
    upgrade(db) {
      db.createObjectStore('entries', { keyPath: 'id' })
      db.createObjectStore('files', { keyPath: 'id' })
    },
  }))

/** What the device says when it has no room. */
export const isFull = (e: unknown) => e instanceof DOMException && e.name === 'QuotaExceededError'

const listeners = new Set<() => void>()
const tell = () => listeners.forEach((l) => l())
export const subscribe = (l: () => void) => {
  listeners.add(l)
  return () => listeners.delete(l)
}

/** What waits on this device, in the order in which it was made. */
export async function waiting(job: string): Promise<{ entries: Unsent[]; files: UnsentFile[] }> {
  const db = await open()
  const [entries, files] = await Promise.all([db.getAll('entries'), db.getAll('files')])
  return {
    entries: entries.filter((e) => e.job === job).sort((a, b) => a.order - b.order),
    files: files.filter((f) => f.job === job),
  }
}

/** Writes an entry down, with the files that it speaks of, in one step: all of it is on this device, or nothing is. */
export async function write(
  job: string,
  by: Author,
  fact: Fact,
  follows: string[],
  files: Attached[] = [],
): Promise<Unsent> {
  const entry: Unsent = {
    id: crypto.randomUUID(),
    job,
    by,
    fact,
    follows,
    takenAt: new Date().toISOString(),
    order: Date.now() + performance.now() / 1e6,
    why: null,
  }
  const db = await open()
  const tx = db.transaction(['entries', 'files'], 'readwrite')
  const puts: Promise<string>[] = []
  try {
    for (const f of files) puts.push(tx.objectStore('files').put({ ...f, job, by }))
    puts.push(tx.objectStore('entries').put(entry))
    await Promise.all(puts)
  } catch (e) {
    // a photograph that went in goes out again with its entry
    tx.abort()
    await Promise.allSettled([...puts, tx.done])
    throw e
  }
  await tx.done
  tell()
  return entry
}

/** Takes back an entry that the server would not keep. */
export async function discard(id: string) {
  const db = await open()
  await db.delete('entries', id)
  tell()
}

/** A file that waits here. */
export async function unsentFile(id: string) {
  return (await open()).get('files', id)
}

const MOST = 200
let sending: Promise<Sent> | undefined

/** What became of sending: how many entries went, and whether the server was reached. */
export interface Sent {
  entries: number
  reached: boolean
}

/** Sends what somebody wrote and what waits, files before the entries that speak of them, in order. What was sent twice is
 * there once. */
export function send(job: string, me: string, device: string): Promise<Sent> {
  sending ??= sendAll(job, me, device).finally(() => (sending = undefined))
  return sending
}

async function sendAll(job: string, me: string, device: string): Promise<Sent> {
  const db = await open()
  let sent = 0
  try {
    const { entries, files } = await waiting(job)
    for (const f of files.filter((f) => f.by.id === me)) {
      unwrap(
        await api.PUT('/api/jobs/{job}/field/files/{attachment}', {
          params: { path: { job, attachment: f.id }, query: { name: f.name } },
          // the bytes as they are
          body: f.bytes as unknown as number[],
          bodySerializer: (b) => b as unknown as Blob,
          headers: { 'content-type': f.media },
        }),
      )
      await db.delete('files', f.id)
    }
    const due = entries.filter((e) => e.why === null && e.by.id === me)
    for (let from = 0; from < due.length; from += MOST) {
      const part = due.slice(from, from + MOST)
      const replies = unwrap(
        await api.POST('/api/jobs/{job}/field/journal', {
          params: { path: { job } },
          body: {
            device,
            sent_at: new Date().toISOString(),
            entries: part.map((e) => ({ id: e.id, fact: e.fact, follows: e.follows, taken_at: e.takenAt })),
          },
        }),
      )
      for (const r of replies) {
        const entry = part.find((e) => e.id === r.id)
        if (r.kept) await db.delete('entries', r.id)
        else if (entry) await db.put('entries', { ...entry, why: r.why ?? '' })
        sent += r.kept ? 1 : 0
      }
    }
    return { entries: sent, reached: true }
  } catch (e) {
    // the line is down, or the server is: all that waits still waits
    if (e instanceof ApiError && (e.status === 0 || e.status >= 500 || e.status === 401))
      return { entries: sent, reached: false }
    throw e
  } finally {
    tell()
  }
}
