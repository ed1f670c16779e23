import { useCallback, useEffect, useState } from 'react'

/** A leaf that two people changed. */
export interface Conflict {
  path: string
  mine: unknown
  theirs: unknown
}

interface Kept<T> {
  /** What it was when the draft began, and the version of that. */
  base: T
  version: number
  value: T
  conflicts: Conflict[]
}

const isTree = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null && !Array.isArray(v)
export const same = (a: unknown, b: unknown) => JSON.stringify(sorted(a)) === JSON.stringify(sorted(b))
function sorted(v: unknown): unknown {
  if (!isTree(v)) return v
  return Object.fromEntries(
    Object.keys(v)
      .sort()
      .filter((k) => v[k] !== undefined)
      .map((k) => [k, sorted(v[k])]),
  )
}

/** Mine upon theirs, leaf by leaf: what only one of us changed is taken; what both changed stays mine until somebody
 * chooses. */
export function merge<T>(base: T, mine: T, theirs: T): { value: T; conflicts: Conflict[] } {
  const conflicts: Conflict[] = []
  const walk = (b: unknown, m: unknown, t: unknown, path: string): unknown => {
    if (same(m, t) || same(b, t)) return m
    if (same(b, m)) return t
    if (isTree(m) && isTree(t)) {
      const before = isTree(b) ? b : {}
      const keys = [...new Set([...Object.keys(t), ...Object.keys(m)])]
      return Object.fromEntries(keys.map((k) => [k, walk(before[k], m[k], t[k], path ? `${path}.${k}` : k)]))
    }
    conflicts.push({ path, mine: m, theirs: t })
    return m
  }
  return { value: walk(base, mine, theirs, '') as T, conflicts }
}

/** The same with one leaf put. */
export function put<T>(tree: T, path: string, leaf: unknown): T {
  const [head = '', ...rest] = path.split('.')
  const now = tree as Record<string, unknown>
  return { ...now, [head]: rest.length ? put(now[head] ?? {}, rest.join('.'), leaf) : leaf } as T
}

function read<T>(key: string): Kept<T> | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? 'null') as Kept<T> | null
  } catch {
    return null
  }
}

/** What is being entered: it survives another sheet, a reload and a crash, and carries the version that it began from.
 * When somebody else saves meanwhile, their changes come in, and what both changed is shown side by side. */
export function useDraft<T>(key: string, server: T, version: number) {
  const [kept, setKept] = useState<Kept<T> | null>(() => read<T>(key))
  const store = useCallback(
    (k: Kept<T> | null) => {
      if (k) localStorage.setItem(key, JSON.stringify(k))
      else localStorage.removeItem(key)
      setKept(k)
    },
    [key],
  )
  const stale = kept !== null && kept.version !== version
  useEffect(() => {
    if (!kept || !stale) return
    const { value, conflicts } = merge(kept.base, kept.value, server)
    const gone = same(value, server) && conflicts.length === 0
    store(gone ? null : { base: server, version, value, conflicts })
  }, [kept, stale, server, version, store])
  const value = kept?.value ?? server
  return {
    value,
    changed: kept !== null,
    conflicts: kept?.conflicts ?? [],
    version: kept?.version ?? version,
    set: (v: T) => {
      const gone = same(v, kept?.base ?? server) && !kept?.conflicts.length
      store(
        gone
          ? null
          : {
              base: kept?.base ?? server,
              version: kept?.version ?? version,
              conflicts: kept?.conflicts ?? [],
              value: v,
            },
      )
    },
    settle: (path: string, take: 'mine' | 'theirs') => {
      const c = kept?.conflicts.find((x) => x.path === path)
      if (!kept || !c) return
      const next = take === 'mine' ? kept.value : put(kept.value, path, c.theirs)
      const conflicts = kept.conflicts.filter((x) => x.path !== path)
      store(same(next, server) && conflicts.length === 0 ? null : { ...kept, value: next, conflicts })
    },
    discard: () => store(null),
  }
}
export type Draft<T> = ReturnType<typeof useDraft<T>>
