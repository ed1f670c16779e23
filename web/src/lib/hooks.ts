import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { App } from 'antd'
import { createContext, useContext, useEffect } from 'react'
import { api, ApiError, type Schema, unwrap } from '../api/client'

export type Job = Schema['JobDto']
export const JobContext = createContext<Job | null>(null)

/** The job of the sheet. */
export function useJob(): Job {
  const job = useContext(JobContext)
  if (!job) throw new Error('no job around this')
  return job
}

export const canEdit = (job: Job) => job.role === 'owner' || job.role === 'surveyor'

type JobRead =
  | '/api/jobs/{job}/summary'
  | '/api/jobs/{job}/plan'
  | '/api/jobs/{job}/plan/cover'
  | '/api/jobs/{job}/scans'
  | '/api/jobs/{job}/detections'
  | '/api/jobs/{job}/adjustment'
  | '/api/jobs/{job}/control'
  | '/api/jobs/{job}/georeference'
  | '/api/jobs/{job}/verdicts'
  | '/api/jobs/{job}/packages'
  | '/api/jobs/{job}/plan/proposal'
  | '/api/jobs/{job}/uploads'
  | '/api/jobs/{job}/tasks'
  | '/api/jobs/{job}/log'
  | '/api/jobs/{job}/members'

/** Something of the job, kept fresh by the events of its tasks. */
export function useRead<T>(path: JobRead, enabled = true) {
  const job = useJob()
  return useQuery({
    queryKey: ['job', job.id, path],
    queryFn: async () => unwrap(await api.GET(path, { params: { path: { job: job.id } } })) as T,
    enabled,
  })
}

/** A change: says what went wrong, and refreshes what depends on it. */
export function useChange<A, R = unknown>(change: (a: A) => Promise<R>, done?: (r: R, a: A) => void) {
  const queries = useQueryClient()
  const { message } = App.useApp()
  return useMutation({
    mutationFn: change,
    onSuccess: (r, a) => {
      void queries.invalidateQueries({ queryKey: ['job'] })
      done?.(r, a)
    },
    onError: (e: Error) => {
      void message.error({ content: e.message, duration: 8, className: 'said-error' })
      if (e instanceof ApiError && e.status === 409) void queries.invalidateQueries({ queryKey: ['job'] })
    },
  })
}

/** Listens to the tasks of a job and refreshes: running ones quickly, results when they end. */
export function useEvents(jobId: string, enabled: boolean) {
  const queries = useQueryClient()
  useEffect(() => {
    if (!enabled) return
    const events = new EventSource(`/api/jobs/${jobId}/events`)
    let busy = false
    let ended = ''
    events.onmessage = async () => {
      if (busy) return
      busy = true
      await new Promise((r) => setTimeout(r, 250))
      busy = false
      await queries.invalidateQueries({ queryKey: ['job', jobId, '/api/jobs/{job}/tasks'] })
      const tasks = queries.getQueryData<Schema['Task'][]>(['job', jobId, '/api/jobs/{job}/tasks']) ?? []
      const now = tasks
        .filter((t) => t.finished_at)
        .map((t) => t.id)
        .join()
      if (now !== ended) {
        ended = now
        void queries.invalidateQueries({ queryKey: ['job', jobId] })
      }
    }
    return () => events.close()
  }, [jobId, enabled, queries])
}

/** A key for a frequent action; typing in a field does not count. */
export function useKey(key: string, action: () => void, enabled = true) {
  useEffect(() => {
    if (!enabled) return
    const listen = (e: KeyboardEvent) => {
      const t = e.target as HTMLElement
      if (t.closest('input, textarea, select, [contenteditable]') || e.altKey) return
      const name = `${e.ctrlKey || e.metaKey ? 'ctrl+' : ''}${e.shiftKey && e.key.length > 1 ? 'shift+' : ''}${e.key.toLowerCase()}`
      if (name === key) {
        e.preventDefault()
        action()
      }
    }
    window.addEventListener('keydown', listen)
    return () => window.removeEventListener('keydown', listen)
  }, [key, action, enabled])
}
