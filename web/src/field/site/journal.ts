import type { Schema } from '../../api/client'
import type { Fact, Unsent } from './outbox'

export type Entry = Omit<Schema['EntryDto'], 'stands'> & {
  stands: boolean
  /** It waits on this device. */
  unsent: boolean
  /** Why the server did not keep it. */
  why: string | null
}

/** What an entry is about, as the server says it. */
export function subjectOf(f: Fact): string {
  switch (f.kind) {
    case 'visit':
      return `station ${f.data.station}`
    case 'tick':
      return `check ${f.data.item}`
    case 'note':
      return `note ${f.data.note}`
    case 'occupied':
      return `mark ${f.data.id}`
    case 'instrument':
      return `instrument ${f.data.id}`
    case 'power_lost':
      return `power ${f.data.id}`
    case 'shots':
      return `shots ${f.data.id}`
    case 'measured':
      return `length ${f.data.id}`
    case 'camera':
      return `camera ${f.data.id}`
    case 'policy':
      return `policy ${f.data.instrument.trim().toLowerCase()}`
    case 'by_hand':
      return 'by hand'
  }
}

/** The journal with what waits on this device: what was sent and came back meanwhile is there once. What an entry follows
 * does not stand any more. */
export function together(sent: Schema['EntryDto'][], unsent: Unsent[]): Entry[] {
  const there = new Set(sent.map((e) => e.id))
  const mine = unsent
    .filter((u) => !there.has(u.id))
    .map((u): Entry => ({
      id: u.id,
      subject: subjectOf(u.fact),
      fact: u.fact,
      follows: u.follows,
      by: u.by.name,
      device: '',
      at: u.takenAt,
      ahead: 0,
      remarks: [],
      errors: [],
      stands: true,
      unsent: true,
      why: u.why,
    }))
  const all = [...sent.map((e): Entry => ({ ...e, unsent: false, why: null })), ...mine]
  const followed = new Set(all.flatMap((e) => e.follows.map((f) => `${e.subject} ${f}`)))
  return all.map((e) => ({ ...e, stands: !followed.has(`${e.subject} ${e.id}`) }))
}

/** Entries about something that stand. Two or more contradict one another. */
export const heads = (all: Entry[], subject: string) => all.filter((e) => e.stands && e.subject === subject)

/** Leaves in which two versions differ, by their path. */
export function differences(a: unknown, b: unknown, path = ''): { path: string; a: unknown; b: unknown }[] {
  const tree = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null && !Array.isArray(v)
  if (tree(a) && tree(b))
    return [...new Set([...Object.keys(a), ...Object.keys(b)])].flatMap((k) =>
      differences(a[k], b[k], path ? `${path}.${k}` : k),
    )
  const blank = (v: unknown) => v === undefined || v === null || v === '' || (Array.isArray(v) && v.length === 0)
  if ((blank(a) && blank(b)) || JSON.stringify(a) === JSON.stringify(b)) return []
  return [{ path, a, b }]
}
