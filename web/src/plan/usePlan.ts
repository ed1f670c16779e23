import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'

export type Item = Omit<Schema['PlanItem'], 'data'> & { data: Schema['PlanData'] }
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
  const read = useRead<Item[]>('/api/jobs/{job}/plan')
  const versions = useRef(new Map<string, Item>())
  for (const i of read.data ?? []) {
    const known = versions.current.get(i.id)
    if (!known || known.version < i.version) versions.current.set(i.id, i)
  }
  const [past, setPast] = useState<Change[][]>([])
  const [future, setFuture] = useState<Change[][]>([])
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
  const apply = useCallback(
    async (changes: Change[]) => {
      const back = inverse(changes)
      try {
        await mutateAsync(changes)
        setPast((p) => [...p.slice(-199), back])
        setFuture([])
        return true
      } catch {
        return false
      }
    },
    [inverse, mutateAsync],
  )
  const step = useCallback(
    async (from: Change[][], setFrom: typeof setPast, setTo: typeof setPast) => {
      const changes = from.at(-1)
      if (!changes) return
      const back = inverse(changes)
      try {
        await mutateAsync(changes)
        setFrom(from.slice(0, -1))
        setTo((t) => [...t, back])
      } catch {
        /* said by useChange; the plan has been reloaded */
      }
    },
    [inverse, mutateAsync],
  )
  return {
    items: read.data ?? [],
    pending: read.isPending,
    saving: send.isPending,
    apply,
    undo: () => step(past, setPast, setFuture),
    redo: () => step(future, setFuture, setPast),
    canUndo: past.length > 0,
    canRedo: future.length > 0,
  }
}
