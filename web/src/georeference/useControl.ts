import { useEffect, useRef, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'

export type Control = Schema['ControlRow']
export type NewControl = Schema['NewControl']

/** What was done, as what the point was before and after; `null` is not there. */
type Step = { id: string; before: NewControl | null; after: NewControl | null }

export const pointOf = (c: Control): NewControl => ({
  name: c.name,
  e: c.e,
  n: c.n,
  h: c.h,
  sigma_e: c.sigma_e,
  sigma_n: c.sigma_n,
  sigma_v: c.sigma_v,
  is_check: c.is_check,
  target: c.target,
})

/** Control points with every change undoable. A change of somebody else meanwhile is a conflict, never overwritten. */
export function useControl() {
  const job = useJob()
  const read = useRead('/api/jobs/{job}/control')
  const rows = read.data ?? []
  const [done, setDone] = useState<Step[]>([])
  const [undone, setUndone] = useState<Step[]>([])
  // versions as the last answer had them: steps follow one another faster than the page reads
  const latest = useRef<Control[]>([])
  useEffect(() => {
    latest.current = rows
  })
  const path = { job: job.id }
  const apply = async ({ id, before, after }: Step) => {
    const version = latest.current.find((c) => c.id === id)?.version ?? 0
    if (!after)
      latest.current = unwrap(
        await api.DELETE('/api/jobs/{job}/control/{point}', {
          params: { path: { ...path, point: id }, query: { version } },
        }),
      )
    else if (!before)
      latest.current = unwrap(
        await api.POST('/api/jobs/{job}/control/points', { params: { path }, body: { id, point: after } }),
      )
    else
      latest.current = unwrap(
        await api.PUT('/api/jobs/{job}/control/{point}', {
          params: { path: { ...path, point: id } },
          body: { point: after, is_check: after.is_check ?? false, target: after.target, version },
        }),
      )
  }
  const run = useChange(
    async (step: Step) => {
      await apply(step)
    },
    (_r, step) => {
      setDone((d) => [...d, step])
      setUndone([])
    },
  )
  const back = useChange(
    async (step: Step) => {
      await apply({ id: step.id, before: step.after, after: step.before })
    },
    (_r, step) => {
      setDone((d) => d.slice(0, -1))
      setUndone((x) => [...x, step])
    },
  )
  const again = useChange(
    async (step: Step) => {
      await apply(step)
    },
    (_r, step) => {
      setUndone((x) => x.slice(0, -1))
      setDone((d) => [...d, step])
    },
  )
  const last = done[done.length - 1]
  const next = undone[undone.length - 1]
  const busy = run.isPending || back.isPending || again.isPending
  return {
    rows,
    read,
    add: (point: NewControl) => run.mutate({ id: crypto.randomUUID(), before: null, after: point }),
    change: (c: Control, part: Partial<NewControl>) =>
      run.mutate({ id: c.id, before: pointOf(c), after: { ...pointOf(c), ...part } }),
    remove: (c: Control) => run.mutate({ id: c.id, before: pointOf(c), after: null }),
    undo: last && !busy ? () => back.mutate(last) : undefined,
    redo: next && !busy ? () => again.mutate(next) : undefined,
  }
}
