import { useCallback, useEffect, useRef, useState } from 'react'
import { useChange } from './hooks'

/** Something that people edit together: its version keeps two editors apart. */
export interface Stored<D> {
  id: string
  kind: string
  data: D
  version: number
  deleted: boolean
}
/** What an item becomes; `data` null removes it. */
export interface Change<D> {
  id: string
  kind: string
  data: D | null
}
/** A change as it is sent, with the version that was seen. */
export interface Sent {
  id: string
  kind: string
  data: object
  version: number | null
  deleted: boolean
}

/** Items with undo and redo. Each step is stored at once. `put` shows what came of it before it is read again. */
export function useItems<D>(
  items: Stored<D>[],
  post: (body: Sent[]) => Promise<Stored<D>[]>,
  put: (change: (old: Stored<D>[]) => Stored<D>[]) => void,
) {
  const versions = useRef(new Map<string, Stored<D>>())
  useEffect(() => {
    for (const i of items) {
      const known = versions.current.get(i.id)
      if (!known || known.version < i.version) versions.current.set(i.id, i)
    }
  }, [items])
  const send = useChange(
    async (changes: Change<D>[]) =>
      post(
        changes.map((c) => {
          const known = versions.current.get(c.id)
          return {
            id: c.id,
            kind: c.kind,
            data: c.data ?? known?.data ?? {},
            version: known?.version ?? null,
            deleted: c.data == null,
          }
        }),
      ),
    (changed) => {
      changed.forEach((i) => versions.current.set(i.id, i))
      const ids = new Set(changed.map((i) => i.id))
      put((old) =>
        [...old.filter((i) => !ids.has(i.id)), ...changed.filter((i) => !i.deleted)].sort((a, b) =>
          a.id < b.id ? -1 : 1,
        ),
      )
    },
  )
  const { mutateAsync } = send
  const inverse = useCallback(
    (changes: Change<D>[]) =>
      changes.map((c): Change<D> => {
        const now = versions.current.get(c.id)
        return { id: c.id, kind: c.kind, data: now && !now.deleted ? now.data : null }
      }),
    [],
  )
  const steps = useSteps(inverse, mutateAsync)
  return { items, saving: send.isPending, ...steps }
}

/** Steps that can be taken back, and forth again. */
function useSteps<D>(inverse: (changes: Change<D>[]) => Change<D>[], send: (changes: Change<D>[]) => Promise<unknown>) {
  // one after the other, each from what the one before it left: a second undo waits for the first
  const line = useRef<Promise<unknown>>(Promise.resolve())
  const stacks = useRef<{ past: Change<D>[][]; future: Change<D>[][] }>({ past: [], future: [] })
  const [depth, setDepth] = useState({ past: 0, future: 0 })
  const queue = useCallback((work: () => Promise<void>) => {
    const done = line.current.then(async () => {
      try {
        await work()
        return true
      } catch {
        // said by useChange; they have been read again
        return false
      } finally {
        setDepth({ past: stacks.current.past.length, future: stacks.current.future.length })
      }
    })
    line.current = done
    return done
  }, [])
  const apply = useCallback(
    (changes: Change<D>[]) =>
      queue(async () => {
        const back = inverse(changes)
        await send(changes)
        stacks.current = { past: [...stacks.current.past.slice(-199), back], future: [] }
      }),
    [inverse, send, queue],
  )
  const step = useCallback(
    (from: 'past' | 'future', to: 'past' | 'future') =>
      queue(async () => {
        const changes = stacks.current[from].at(-1)
        if (!changes) return
        const back = inverse(changes)
        await send(changes)
        const { [from]: taken, [to]: given } = stacks.current
        stacks.current = { ...stacks.current, [from]: taken.slice(0, -1), [to]: [...given, back] }
      }),
    [inverse, send, queue],
  )
  return {
    apply,
    undo: () => step('past', 'future'),
    redo: () => step('future', 'past'),
    canUndo: depth.past > 0,
    canRedo: depth.future > 0,
  }
}
