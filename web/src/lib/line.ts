import { useSyncExternalStore } from 'react'

/** Since when what is shown is as it was read before, because the server is not reached; null while it is. */
let old: string | null = null
const listeners = new Set<() => void>()

/** The header by which the service worker says that an answer is one of before. */
const READ_BEFORE = 'x-read-before'

/** Notes whether an answer came from the server, or from what this device kept. */
export function heard(answer: Response) {
  const now = answer.headers.get(READ_BEFORE)
  if (now === old) return
  old = now
  listeners.forEach((l) => l())
}

export const isOld = (answer: Response) => answer.headers.has(READ_BEFORE)
export const away = () => old !== null

const subscribe = (l: () => void) => {
  listeners.add(l)
  return () => listeners.delete(l)
}
export const useOld = () => useSyncExternalStore(subscribe, () => old)
