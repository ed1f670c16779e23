import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { useAsk, useChange, useJob } from '../../lib/hooks'
import type { CloudTie } from '../useTies'
import type { Pose } from './pose'
import { register as words } from '../../words'

export type Trial = Schema['TrialDto']

/** What was asked for last, once nothing more was asked for a moment. */
function useSettled<T>(value: T, after: number): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const wait = setTimeout(() => setSettled(value), after)
    return () => clearTimeout(wait)
  }, [value, after])
  return settled
}

/** The second scan laid over the first: where it is now, what the two say of one another there, and the way back. */
export function useHand(a: string, b: string, laid: (tie: CloudTie) => void) {
  const job = useJob()
  const path = { params: { path: { job: job.id } } }
  const [poses, setPoses] = useState<Pose[]>([])
  const [parts, setParts] = useState(false)
  const pose = poses.at(-1) ?? null
  const settled = useSettled(pose, 120)
  const trial = useQuery({
    queryKey: ['job', job.id, 'trial', a, b, settled, parts],
    queryFn: async ({ signal }) =>
      unwrap(
        await api.POST('/api/jobs/{job}/cloud-ties/trial', {
          params: { path: { job: job.id } },
          body: { a, b, pose: settled ?? undefined, parts },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  })
  const keep = useChange(
    async (reason: string) => {
      const at = pose ?? trial.data?.pose
      if (!at) throw new Error(words.theTwoScansAre)
      const tie = unwrap(
        await api.POST('/api/jobs/{job}/cloud-ties/by-hand', { ...path, body: { a, b, pose: at, reason } }),
      )
      if (tie.takes_part) unwrap(await api.POST('/api/jobs/{job}/register', path))
      return tie
    },
    (tie) => laid(tie),
  )
  const pairs = useAsk(async (list: Schema['PickedPairDto'][]) =>
    unwrap(await api.POST('/api/jobs/{job}/cloud-ties/pairs', { ...path, body: { a, b, pairs: list } })),
  )
  const point = async (scan: string, direction: [number, number, number]) =>
    unwrap(
      await api.POST('/api/jobs/{job}/scans/{scan}/point', {
        params: { path: { job: job.id, scan } },
        body: { direction },
      }),
    )
  return {
    trial,
    /** Where the second is now. */
    pose: pose ?? trial.data?.pose ?? null,
    /** It was moved since the figures were made. */
    moving: pose !== settled || trial.isFetching,
    moved: poses.length > 0,
    /** `fresh` begins a step that can be taken back; the rest of a drag goes with it. */
    move: (next: Pose, fresh = true) => setPoses((p) => [...(fresh ? p.slice(-200) : p.slice(0, -1)), next]),
    back: () => setPoses((p) => p.slice(0, -1)),
    parts,
    setParts,
    keep,
    pairs,
    point,
  }
}
export type Hand = ReturnType<typeof useHand>
