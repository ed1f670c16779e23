import { useSyncExternalStore } from 'react'
import { send } from '../../field/tus'

/** A file of a pass on its way. It lives above the sheets: another sheet stops nothing. */
export interface Sending {
  name: string
  size: number
  sent: number
  reason: string
}
export type Part = 'cloud' | 'path'

const all = new Map<string, Sending>()
const listeners = new Set<() => void>()
let version = 0
const tell = () => {
  version++
  listeners.forEach((l) => l())
}
const key = (pass: string, part: Part) => `${pass}/${part}`

/** Sends a file; `done` is told when the server has all of it. */
export async function sendPart(o: {
  job: string
  pass: string
  part: Part
  file: File
  unit: string
  done: () => void
}): Promise<void> {
  const k = key(o.pass, o.part)
  const set = (part: Partial<Sending>) => {
    const before = all.get(k) ?? { name: o.file.name, size: o.file.size, sent: 0, reason: '' }
    all.set(k, { ...before, ...part })
    tell()
  }
  set({ name: o.file.name, size: o.file.size, sent: 0, reason: '' })
  await send(
    o.job,
    o.file,
    { pass: o.pass, part: o.part, unit: o.unit },
    {
      created: () => undefined,
      progress: (sent) => set({ sent }),
      done: () => {
        all.delete(k)
        tell()
        o.done()
      },
      failed: (reason) => set({ reason }),
    },
  )
}

/** What of a pass is on its way. */
export function useSending(pass: string): Partial<Record<Part, Sending>> {
  useSyncExternalStore(
    (l) => {
      listeners.add(l)
      return () => listeners.delete(l)
    },
    () => version,
  )
  return { cloud: all.get(key(pass, 'cloud')), path: all.get(key(pass, 'path')) }
}
