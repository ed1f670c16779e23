import { useQuery } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { useSearchParams } from 'react-router-dom'
import { api, type Schema, unwrap } from '../api/client'
import { useAsk, useChange, useJob } from '../lib/hooks'
import { usePlan } from '../plan/usePlan'
import { type Assigned, given } from './arrange'

export type Days = Schema['DaysDto']
export type Settings = Schema['DaySettingsDto']

/** The moment from which the days are planned anew; it stands in the address. */
function useNow() {
  const [params, setParams] = useSearchParams()
  const set = (now: string | null) =>
    setParams(
      (old) => {
        const p = new URLSearchParams(old)
        if (now) p.set('now', now)
        else p.delete('now')
        return p
      },
      { replace: true },
    )
  return [params.get('now'), set] as const
}

/** Days on site: what happens when, and everything that can be changed about them. */
export function useDays() {
  const job = useJob()
  const plan = usePlan()
  const [now, setNow] = useNow()
  const params = { path: { job: job.id }, query: now ? { now } : {} }
  const read = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/day', now],
    queryFn: async ({ signal }) => {
      const query = now ? { now } : {}
      return unwrap(await api.GET('/api/jobs/{job}/day', { params: { path: { job: job.id }, query }, signal }))
    },
    placeholderData: (before) => before,
  })
  const keep = useChange(async (settings: Settings) =>
    unwrap(await api.PUT('/api/jobs/{job}/day', { params: { path: { job: job.id } }, body: settings })),
  )
  const options = useAsk(async () => unwrap(await api.POST('/api/jobs/{job}/day/options', { params })))
  const better = useAsk(async () => unwrap(await api.POST('/api/jobs/{job}/day/order', { params })))
  // arrangements of before, to go back to
  const past = useRef<Assigned[][]>([])
  const [steps, setSteps] = useState(0)
  const put = useCallback(
    async (next: Assigned[]) => {
      const days = read.data
      if (!days) return
      const items = new Map(plan.items.map((i) => [i.id, i]))
      const changes = next.flatMap((a, k) => {
        const item = items.get(a.station)
        return item && item.data.order !== k + 1
          ? [{ id: item.id, kind: item.kind, data: { ...item.data, order: k + 1 } }]
          : []
      })
      if (changes.length > 0 && !(await plan.apply(changes))) return
      const kept = days.settings.stations ?? []
      const same = next.every((a) => {
        const k = kept.find((x) => x.station === a.station)
        return k ? k.scanner === a.scanner && !!k.locked === !!a.locked : days.settings.scanners.length < 2 && !a.locked
      })
      if (!same) await keep.mutateAsync({ ...days.settings, stations: next })
    },
    [read.data, plan, keep],
  )
  const arrange = useCallback(
    (next: Assigned[]) => {
      if (!read.data) return
      past.current.push(given(read.data))
      setSteps(past.current.length)
      void put(next)
    },
    [read.data, put],
  )
  const undo = useCallback(() => {
    const before = past.current.pop()
    setSteps(past.current.length)
    if (before) void put(before)
  }, [put])
  return { job, plan, read, now, setNow, keep, options, better, arrange, undo, canUndo: steps > 0 }
}
export type UseDays = ReturnType<typeof useDays>
