import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'

/** Work in the background: what runs, and what failed or ended last. */
export function Tasks({ kinds, ended = 3 }: { kinds: string[]; ended?: number }) {
  const job = useJob()
  const tasks = useRead<Schema['Task'][]>('/api/jobs/{job}/tasks')
  const cancel = useChange(async (task: string) =>
    unwrap(await api.DELETE('/api/jobs/{job}/tasks/{task}', { params: { path: { job: job.id, task } } })),
  )
  const retry = useChange(async (task: string) =>
    unwrap(await api.POST('/api/jobs/{job}/tasks/{task}/retry', { params: { path: { job: job.id, task } } })),
  )
  const mine = (tasks.data ?? []).filter((t) => kinds.includes(t.kind))
  const active = mine.filter((t) => t.state === 'running' || t.state === 'queued').reverse()
  const rest = mine.filter((t) => t.state !== 'running' && t.state !== 'queued').slice(0, ended)
  if (mine.length === 0) return null
  return (
    <div className="tasks" aria-label="Background work" aria-live="polite">
      {[...active, ...rest].map((t) => (
        <div key={t.id} className={`task ${t.state}`} data-state={t.state}>
          <span>
            {t.state === 'queued'
              ? `waiting: ${(t.payload as { name?: string }).name ?? t.kind}`
              : `${t.state === 'failed' ? 'failed: ' : ''}${t.message || t.kind}`}
          </span>
          {t.state === 'running' ? (
            <progress value={t.progress} max={1} aria-label={t.message} />
          ) : (
            <span className="faint">{t.state}</span>
          )}
          {(t.state === 'failed' || t.state === 'cancelled') && canEdit(job) ? (
            <a
              href="#retry"
              onClick={(e) => {
                e.preventDefault()
                retry.mutate(t.id)
              }}
            >
              try again
            </a>
          ) : (t.state === 'running' || t.state === 'queued') && canEdit(job) ? (
            <a
              href="#cancel"
              onClick={(e) => {
                e.preventDefault()
                cancel.mutate(t.id)
              }}
            >
              {t.cancel ? 'stopping' : 'cancel'}
            </a>
          ) : (
            <span />
          )}
        </div>
      ))}
    </div>
  )
}
