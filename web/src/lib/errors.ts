import { useSyncExternalStore } from 'react'

/** Errors of changes, until they are read. */
export interface Said {
  id: number
  text: string
  at: Date
}

let list: Said[] = []
let next = 1
const listeners = new Set<() => void>()
const put = (l: Said[]) => {
  list = l
  listeners.forEach((f) => f())
}

export function sayError(text: string) {
  // the same again is the same, newer
  put([...list.filter((s) => s.text !== text), { id: next++, text, at: new Date() }].slice(-5))
}
export const dismiss = (id: number) => put(list.filter((s) => s.id !== id))
export const dismissAll = () => list.length > 0 && put([])

const subscribe = (f: () => void) => {
  listeners.add(f)
  return () => listeners.delete(f)
}
export const useSaid = () => useSyncExternalStore(subscribe, () => list)
