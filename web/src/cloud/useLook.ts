import { useCallback, useState } from 'react'
import { useTheme } from '../lib/settings'
import { FIRST, type Look } from './look'

/** How the clouds of each job were looked at last, and which scans were off: the same on every sheet. */
const looks = new Map<string, Look>()
const offs = new Map<string, Set<string>>()

export function useLook(job: string) {
  const dark = useTheme() === 'dark'
  const [look, set] = useState<Look>(() => looks.get(job) ?? { ...FIRST, dark })
  const [off, setOffState] = useState(() => offs.get(job) ?? new Set<string>())
  const setLook = useCallback(
    (next: Look | ((l: Look) => Look)) =>
      set((old) => {
        const now = typeof next === 'function' ? next(old) : next
        looks.set(job, now)
        return now
      }),
    [job],
  )
  const setOff = useCallback(
    (next: Set<string>) => {
      offs.set(job, next)
      setOffState(next)
    },
    [job],
  )
  return [look, setLook, off, setOff] as const
}
