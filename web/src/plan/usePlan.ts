import { useQueryClient } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { type Item, useJob, useRead } from '../lib/hooks'
import { type Change as Changed, useItems } from '../lib/items'

export type { Item }
export type Change = Changed<Schema['PlanData']>

const KEY = (job: string) => ['job', job, '/api/jobs/{job}/plan']

/** The plan with undo and redo. */
export function usePlan() {
  const job = useJob()
  const queries = useQueryClient()
  const read = useRead('/api/jobs/{job}/plan')
  const plan = useItems<Schema['PlanData']>(
    read.data ?? [],
    async (body) =>
      unwrap(
        await api.POST('/api/jobs/{job}/plan/edits', {
          params: { path: { job: job.id } },
          body: body as Schema['PlanEdit'][],
        }),
      ) as unknown as Item[],
    (change) => queries.setQueryData<Item[]>(KEY(job.id), (old) => change(old ?? [])),
  )
  return { ...plan, pending: read.isPending, read }
}
