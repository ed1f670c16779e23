import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useTies } from './useTies'
import { register as words } from '../words'

export interface Decision {
  ids: string[]
  excluded?: boolean
  part?: number
}
export type Result = Schema['AdjustmentResult']

/** The registration of the job, and what can be done with it. */
export function useRegistration() {
  const job = useJob()
  const ties = useTies()
  const adjustment = useRead('/api/jobs/{job}/adjustment')
  const detections = useRead('/api/jobs/{job}/detections')
  const scans = useRead('/api/jobs/{job}/scans')
  const tasks = useRead('/api/jobs/{job}/tasks')
  const a = adjustment.data
  const path = { params: { path: { job: job.id } } }
  const run = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/register', path)))
  const lock = useChange(async (on: boolean) =>
    unwrap(
      on
        ? await api.POST('/api/jobs/{job}/adjustment/lock', path)
        : await api.DELETE('/api/jobs/{job}/adjustment/lock', path),
    ),
  )
  const decide = useChange(async (d: Decision) => {
    // an observation may be a tie by clouds
    const mine = ties.ties.filter((t) => d.ids.includes(t.id))
    if (mine.length && d.excluded != null) {
      const decision = d.excluded ? ('rejected' as const) : ('' as const)
      return ties.decide.mutateAsync(mine.map((tie) => ({ tie, decision, reason: words.theAdjustmentSpeaksAgainst })))
    }
    const body = d.ids.flatMap((id) => {
      const now = detections.data?.find((x) => x.id === id)
      return now ? [{ id, version: now.version, excluded: d.excluded ?? now.excluded, part: d.part ?? now.part }] : []
    })
    unwrap(await api.PATCH('/api/jobs/{job}/detections', { ...path, body }))
    return unwrap(await api.POST('/api/jobs/{job}/register', path))
  })
  const keep = useChange(async (f: Schema['FindingDto']) =>
    unwrap(
      f.kept
        ? await api.POST('/api/jobs/{job}/findings/reopen', { ...path, body: { key: f.key } })
        : await api.POST('/api/jobs/{job}/findings/keep', { ...path, body: { key: f.key } }),
    ),
  )
  const take = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/adjustment/profile', path)))
  const running = !!tasks.data?.some((t) => t.kind === 'register' && (t.state === 'running' || t.state === 'queued'))
  return {
    reads: [adjustment, detections, scans, tasks, ties.read],
    adjustment: a,
    result: a?.result,
    detections: detections.data ?? [],
    scans: scans.data ?? [],
    running,
    /** Observations may be decided upon. */
    open: canEdit(job) && !a?.locked,
    edit: canEdit(job),
    run,
    lock,
    decide,
    keep,
    take,
    ties,
  }
}
export type Registration = ReturnType<typeof useRegistration>
