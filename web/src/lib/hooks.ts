import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { createContext, useContext, useEffect, useRef, useState } from 'react'
import { type Answer, api, ApiError, type Schema, UNREACHED, unwrap } from '../api/client'
import { sayError } from './errors'
import { away, isOld } from './line'
import { settings } from './settings'
import { common as words } from '../words'

export type Job = Schema['JobDto']

/** An item of the plan. */
export type Item = Omit<Schema['PlanItem'], 'data'> & { data: Schema['PlanData'] }

/** A scan with its log. */
export type Scan = Omit<Schema['ScanRow'], 'log'> & {
  log: {
    operator?: string
    instrument_height?: number | null
    note?: string
    settings?: string
    time?: string
    file?: string
    set_up?: Schema['SetUpDto']
  }
}
export const JobContext = createContext<Job | null>(null)

/** The job of the sheet. */
export function useJob(): Job {
  const job = useContext(JobContext)
  if (!job) throw new Error(words.noJobAroundThis)
  return job
}

export const canEdit = (job: Job) => job.role === 'owner' || job.role === 'surveyor'

type JobRead =
  | '/api/jobs/{job}/summary'
  | '/api/jobs/{job}/plan'
  | '/api/jobs/{job}/plan/cover'
  | '/api/jobs/{job}/plan/walks'
  | '/api/jobs/{job}/scans'
  | '/api/jobs/{job}/field/now'
  | '/api/jobs/{job}/field/journal'
  | '/api/jobs/{job}/detections'
  | '/api/jobs/{job}/adjustment'
  | '/api/jobs/{job}/adjustment/schools'
  | '/api/jobs/{job}/cloud-ties'
  | '/api/jobs/{job}/cloud-ties/parts'
  | '/api/jobs/{job}/scan-groups'
  | '/api/jobs/{job}/passes'
  | '/api/jobs/{job}/control'
  | '/api/jobs/{job}/georeference'
  | '/api/jobs/{job}/verdicts'
  | '/api/jobs/{job}/cleaning'
  | '/api/jobs/{job}/comparison'
  | '/api/jobs/{job}/designs'
  | '/api/jobs/{job}/drawing'
  | '/api/jobs/{job}/ground'
  | '/api/jobs/{job}/photos'
  | '/api/jobs/{job}/shown'
  | '/api/jobs/{job}/slices'
  | '/api/jobs/{job}/surveys'
  | '/api/jobs/{job}/packages'
  | '/api/jobs/{job}/deliverables'
  | '/api/jobs/{job}/letterhead'
  | '/api/jobs/{job}/plan/proposal'
  | '/api/jobs/{job}/uploads'
  | '/api/jobs/{job}/tasks'
  | '/api/jobs/{job}/log'
  | '/api/jobs/{job}/members'

/** What the server keeps as it was sent, in the shape that it was sent in. */
interface Known {
  '/api/jobs/{job}/plan': Item[]
  '/api/jobs/{job}/scans': Scan[]
}
type Read<P extends JobRead> = P extends keyof Known ? Known[P] : Answer<P>

/** The server answered, and would answer the same again. */
export const isRefused = (e: unknown) => e instanceof ApiError && e.status >= 400 && e.status < 500

/** Something of the job, kept fresh by the events of its tasks. */
export function useRead<P extends JobRead>(path: P, enabled = true) {
  const job = useJob()
  const queries = useQueryClient()
  return useQuery({
    queryKey: ['job', job.id, path],
    queryFn: async ({ signal }) => {
      // one signature for all of these paths, which differ in what they answer only
      const answer = await api.GET(path as '/api/jobs/{job}/plan', { params: { path: { job: job.id } }, signal })
      // what this device kept is for a page that has nothing; a page that has something says that it is old
      if (isOld(answer.response) && queries.getQueryData(['job', job.id, path]) !== undefined)
        throw new ApiError(UNREACHED, 0)
      return unwrap(answer) as Read<P>
    },
    enabled,
    // what failed is asked for again by itself: the server may be gone for a minute
    refetchInterval: (q) =>
      away() || (q.state.fetchFailureReason && !isRefused(q.state.fetchFailureReason)) ? 4000 : false,
  })
}

/** A change: says what went wrong until it is read, and refreshes what depends on it. */
export function useChange<A, R = unknown>(change: (a: A) => Promise<R>, done?: (r: R, a: A) => void) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: change,
    onSuccess: (r, a) => {
      void queries.invalidateQueries({ queryKey: ['job'] })
      done?.(r, a)
    },
    onError: (e: Error) => {
      sayError(e.message)
      if (e instanceof ApiError && e.status === 409) void queries.invalidateQueries({ queryKey: ['job'] })
    },
  })
}

/** A question to the server that changes nothing: what went wrong is said, and nothing is read again. */
export function useAsk<A, R>(ask: (a: A) => Promise<R>, done?: (r: R, a: A) => void) {
  return useMutation({ mutationFn: ask, onSuccess: done, onError: (e: Error) => sayError(e.message) })
}

/** What was given last, for what is called later. */
export function useLatest<T>(value: T) {
  const last = useRef(value)
  useEffect(() => {
    last.current = value
  })
  return last
}

/** The value of before for as long as nothing in it is another: what is made from it is not made anew. */
export function useSame<T>(value: T): T {
  const [kept, keep] = useState(value)
  if (kept === value || JSON.stringify(kept) === JSON.stringify(value)) return kept
  keep(value)
  return value
}

/** Listens to the tasks of a job and refreshes: running ones quickly, results when they end. */
export function useEvents(jobId: string, enabled: boolean) {
  const queries = useQueryClient()
  useEffect(() => {
    if (!enabled) return
    const tasks = ['job', jobId, '/api/jobs/{job}/tasks']
    let events: EventSource
    let again: ReturnType<typeof setTimeout> | undefined
    let busy = false
    let ended = ''
    const moved = async () => {
      if (busy) return
      busy = true
      await new Promise((r) => setTimeout(r, 250))
      busy = false
      await queries.invalidateQueries({ queryKey: tasks })
      const list = queries.getQueryData<Schema['Task'][]>(tasks) ?? []
      const now = list
        .filter((t) => t.finished_at)
        .map((t) => t.id)
        .join()
      if (now !== ended) {
        ended = now
        void queries.invalidateQueries({ queryKey: ['job', jobId] })
      }
    }
    const listen = () => {
      events = new EventSource(`/api/jobs/${jobId}/events`)
      events.onmessage = () => void moved()
      events.onerror = () => {
        // the browser tries again by itself, unless the server refused: then we do, and look meanwhile
        if (events.readyState !== EventSource.CLOSED) return
        void moved()
        again = setTimeout(listen, 4000)
      }
    }
    listen()
    return () => {
      clearTimeout(again)
      events.close()
    }
  }, [jobId, enabled, queries])
}

const typing = (t: HTMLElement) => t.closest('input, textarea, select, [contenteditable]')

/** The name of a key as it is registered. */
export const keyName = (e: KeyboardEvent) =>
  `${e.ctrlKey || e.metaKey ? 'ctrl+' : ''}${e.shiftKey && (e.key.length > 1 || e.ctrlKey || e.metaKey) ? 'shift+' : ''}${e.key.toLowerCase()}`

/** A key for a frequent action. Typing in a field does not count, nor does anything behind a dialogue; single letters
 * can be turned off. */
export function useKey(key: string, action: () => void, enabled = true) {
  const live = useRef(action)
  useEffect(() => {
    live.current = action
  })
  useEffect(() => {
    if (!enabled) return
    const listen = (e: KeyboardEvent) => {
      if (typing(e.target as HTMLElement) || e.altKey || e.defaultPrevented || keyName(e) !== key) return
      if (key.length === 1 && !settings().keys) return
      const dialogue = document.querySelector('.ant-modal-wrap:not([style*="display: none"])')
      if (dialogue && !dialogue.contains(e.target as Node)) return
      e.preventDefault()
      live.current()
    }
    window.addEventListener('keydown', listen)
    return () => window.removeEventListener('keydown', listen)
  }, [key, enabled])
}

/** Two keys one after the other within two seconds start work: a letter hit by accident does not. */
export function useKeys(first: string, second: string, action: () => void, enabled = true) {
  const at = useRef(0)
  useKey(
    first,
    () => {
      at.current = Date.now()
    },
    enabled,
  )
  useKey(
    second,
    () => {
      if (Date.now() - at.current < 2000) action()
      at.current = 0
    },
    enabled,
  )
}
