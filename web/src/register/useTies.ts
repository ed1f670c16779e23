import { useQuery } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'

export type CloudTie = Schema['CloudTieDto']
export type TieCardData = Schema['TieCardDto']

/** Nothing holds it in one direction: a figure would be invented. */
export const isLoose = (tie: CloudTie) => tie.weakest95 > 1

export interface TieDecision {
  tie: CloudTie
  decision: 'accepted' | 'rejected' | ''
  reason: string
}

/** Ties by clouds, and what can be done with them. */
export function useTies() {
  const job = useJob()
  const ties = useRead('/api/jobs/{job}/cloud-ties')
  const tasks = useRead('/api/jobs/{job}/tasks')
  const path = { params: { path: { job: job.id } } }
  const find = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/cloud-ties', path)))
  const decide = useChange(async (list: TieDecision[]) => {
    const body = list.map((d) => ({ id: d.tie.id, version: d.tie.version, decision: d.decision, reason: d.reason }))
    unwrap(await api.PATCH('/api/jobs/{job}/cloud-ties', { ...path, body }))
    return unwrap(await api.POST('/api/jobs/{job}/register', path))
  })
  const lift = useChange(async (tie: CloudTie) => {
    unwrap(
      await api.DELETE('/api/jobs/{job}/cloud-ties/{tie}/by-hand', {
        params: { path: { job: job.id, tie: tie.id }, query: { version: tie.version } },
      }),
    )
    return unwrap(await api.POST('/api/jobs/{job}/register', path))
  })
  const searching = !!tasks.data?.some((t) => t.kind === 'tie' && (t.state === 'running' || t.state === 'queued'))
  return { read: ties, ties: ties.data ?? [], searching, find, decide, lift }
}
export type Ties = ReturnType<typeof useTies>

/** What is needed to judge a tie by eye; it is computed when it is looked at. */
export function useTieCard(tie: CloudTie, rival: boolean) {
  const job = useJob()
  return useQuery({
    queryKey: ['job', job.id, 'tie card', tie.id, tie.version, rival],
    queryFn: async ({ signal }) =>
      unwrap(
        await api.GET('/api/jobs/{job}/cloud-ties/{tie}/card', {
          params: { path: { job: job.id, tie: tie.id }, query: { rival } },
          signal,
        }),
      ),
  })
}
