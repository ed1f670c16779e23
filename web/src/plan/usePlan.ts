import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { type Item, useChange, useJob, useRead } from '../lib/hooks'

export type { Item }
/** What an item becomes; `data` null removes it. */
export interface Change {
  id: string
  kind: string
  data: Schema['PlanData'] | null
}

const KEY = (job: string) => ['job', job, '/api/jobs/{job}/plan']

/** The plan with undo and redo. Each step is stored at once; versions keep two editors apart. */
export function usePlan() {
  const job = useJob()
  const queries = useQueryClient()
  const read = useRead('/api/jobs/{job}/plan')
  const versions = useRef(new Map<string, Item>())
  for (const i of read.data ?? []) {
    const known = versions.current.get(i.id)
    if (!known || known.version < i.version) versions.current.set(i.id, i)
  }
  const send = useChange(
    async (changes: Change[]) => {
      const body = changes.map((c) => {
        const known = versions.current.get(c.id)
        return {
          id: c.id,
          kind: c.kind,
          data: (c.data ?? known?.data ?? {}) as Record<string, never>,
          version: known?.version ?? null,
          deleted: c.data == null,
        }
      })
      return unwrap(
        await api.POST('/api/jobs/{job}/plan/edits', { params: { path: { job: job.id } }, body }),
      ) as unknown as Item[]
    },
    (items) => {
      items.forEach((i) => versions.current.set(i.id, i))
      const ids = new Set(items.map((i) => i.id))
      queries.setQueryData<Item[]>(KEY(job.id), (old) =>
        [...(old ?? []).filter((i) => !ids.has(i.id)), ...items.filter((i) => !i.deleted)].sort((a, b) =>
          a.id < b.id ? -1 : 1,
        ),
      )
    },
  )
  const { mutateAsync } = send
  const inverse = useCallback(
    (changes: Change[]) =>
      changes.map((c): Change => {
        const now = versions.current.get(c.id)
        return { id: c.id, kind: c.kind, data: now && !now.deleted ? now.data : null }
      }),
    [],
  )
  // one after the other, each from what the one before it left: a second undo waits for the first
  const line = useRef<Promise<unknown>>(Promise.resolve())
  const stacks = useRef<{ past: Change[][]; future: Change[][] }>({ past: [], future: [] })
  const [depth, setDepth] = useState({ past: 0, future: 0 })
  const queue = useCallback((work: () => Promise<void>) => {
    const done = line.current.then(async () => {
      try {
        await work()
        return true
      } catch {
        // said by useChange; the plan has been read again
        return false
      } finally {
        setDepth({ past: stacks.current.past.length, future: stacks.current.future.length })
      }
    })
    line.current = done
    return done
  }, [])
  const apply = useCallback(
    (changes: Change[]) =>
      queue(async () => {
        const back = inverse(changes)
        await mutateAsync(changes)
        stacks.current = { past: [...stacks.current.past.slice(-199), back], future: [] }
      }),
    [inverse, mutateAsync, queue],
  )
  const step = useCallback(
    (from: 'past' | 'future', to: 'past' | 'future') =>
      queue(async () => {
        const changes = stacks.current[from].at(-1)
        if (!changes) return
        const back = inverse(changes)
        await mutateAsync(changes)
        const { [from]: taken, [to]: given } = stacks.current
        stacks.current = { ...stacks.current, [from]: taken.slice(0, -1), [to]: [...given, back] }
      }),
    [inverse, mutateAsync, queue],
  )
  return {
    items: read.data ?? [],
    pending: read.isPending,
    saving: send.isPending,
    apply,
    read,
    undo: () => step('past', 'future'),
    redo: () => step('future', 'past'),
    canUndo: depth.past > 0,
    canRedo: depth.future > 0,
  }
}
