import { useQueryClient } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../../api/client'
import { useChange, useJob, useRead } from '../../lib/hooks'
import { type Part, sendPart } from './passUploads'

export type Passes = Schema['PassesDto']
export type Pass = Schema['PassDto']
export type Placed = Schema['PlacedPassDto']
export type Along = Schema['AlongPassDto']

/** What is said of a pass that begins, with its files. */
export interface Wanted {
  name: string
  unit: string
  cloud: File
  path: File
}

/** The passes of a job, and what can be done with them. */
export function usePasses() {
  const job = useJob()
  const queries = useQueryClient()
  const read = useRead('/api/jobs/{job}/passes')
  const tasks = useRead('/api/jobs/{job}/tasks')
  const at = { params: { path: { job: job.id } } }
  const running = (tasks.data ?? []).some(
    (t) => ['walks', 'pass'].includes(t.kind) && ['queued', 'running'].includes(t.state),
  )
  const give = (pass: string, part: Part, file: File) =>
    sendPart({
      job: job.id,
      pass,
      part,
      file,
      unit: job.brief.unit,
      done: () => void queries.invalidateQueries({ queryKey: ['job'] }),
    })
  const add = useChange(async (w: Wanted) => {
    const pass = unwrap(
      await api.POST('/api/jobs/{job}/passes', {
        ...at,
        body: { name: w.name, unit: w.unit, marks: [], whole: false, drawn: true },
      }),
    )
    // both are on their way before the form is left
    await Promise.all([give(pass, 'path', w.path), give(pass, 'cloud', w.cloud)])
  })
  const run = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/passes/register', at)))
  const change = useChange(
    async ({ pass, ...to }: { pass: Pass } & Partial<Pick<Pass, 'name' | 'unit' | 'marks' | 'whole' | 'drawn'>>) => {
      const { name, unit, marks, whole, drawn, version } = { ...pass, ...to }
      const path = { job: job.id, pass: pass.id }
      const body = { name, unit, marks, whole, drawn, version }
      return unwrap(await api.PUT('/api/jobs/{job}/passes/{pass}', { params: { path }, body }))
    },
  )
  const remove = useChange(async (pass: Pass) => {
    const params = { path: { job: job.id, pass: pass.id }, query: { version: pass.version } }
    return unwrap(await api.DELETE('/api/jobs/{job}/passes/{pass}', { params }))
  })
  return { read, job, running, give, add, run, change, remove }
}
export type PassActions = ReturnType<typeof usePasses>
