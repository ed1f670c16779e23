import { useSyncExternalStore } from 'react'

/** How one person likes to read: kept in the browser, the same in every job. */
export interface Settings {
  theme: 'system' | 'light' | 'dark' | 'contrast'
  decimal: '.' | ','
  angles: 'deg' | 'gon' | 'dms'
  /** Single letters act. */
  keys: boolean
}

const KEY = 'vistazo-settings'
const FIRST: Settings = { theme: 'system', decimal: '.', angles: 'deg', keys: true }
const listeners = new Set<() => void>()
let now: Settings = read()

function read(): Settings {
  try {
    return { ...FIRST, ...(JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Settings>) }
  } catch {
    return FIRST
  }
}

export const settings = () => now

export function change(part: Partial<Settings>) {
  now = { ...now, ...part }
  localStorage.setItem(KEY, JSON.stringify(now))
  listeners.forEach((l) => l())
}

const subscribe = (l: () => void) => {
  listeners.add(l)
  return () => listeners.delete(l)
}
export const useSettings = () => useSyncExternalStore(subscribe, settings)

const wantsDark = () => window.matchMedia('(prefers-color-scheme: dark)')
const watchDark = (l: () => void) => {
  const q = wantsDark()
  q.addEventListener('change', l)
  return () => q.removeEventListener('change', l)
}

export type Shown = 'light' | 'dark' | 'contrast'

/** The sheet as it is shown, once the system is asked. */
export function useTheme(): Shown {
  const { theme } = useSettings()
  const dark = useSyncExternalStore(watchDark, () => wantsDark().matches)
  if (theme !== 'system') return theme
  return dark ? 'dark' : 'light'
}
