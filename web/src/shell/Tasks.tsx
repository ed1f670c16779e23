import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router-dom'
import { api, type Schema, unwrap } from '../api/client'
import { ago, span } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { Head } from '../parts'
import { shell as words } from '../words'

type Task = Schema['Task']
const isActive = (t: Task) => t.state === 'running' || t.state === 'queued'
const NAMES: Record<string, string> = {
  scan: words.scan,
  ingest: words.readingAFile,
  register: words.registration,
  tie: words.tiesByClouds,
  quick_tie: words.tieAtOnce,
  spacing: words.pointSpacing,
  clean: words.cleaning,
  compare: words.comparing,
  draw: words.drawing,
  solids: words.solids,
  ground: words.findingTheGround,
  picture: words.picture,
  survey: words.surveying,
  paint: words.colouring,
  built: words.lookingForDesign,
  propose: words.proposalOfStations,
  package: words.package,
}

/** About how long a task will still take, from how long its part so far took. */
function left(t: Task): string {
  if (t.state !== 'running' || !t.started_at || t.progress < 0.05) return ''
  const gone = (Date.now() - new Date(t.started_at).getTime()) / 1000
  return gone < 5 ? '' : words.timeLeft(span((gone / t.progress) * (1 - t.progress)))
}

function says(t: Task): string {
  const name = (t.payload as { name?: string }).name ?? NAMES[t.kind] ?? t.kind
  if (t.state === 'queued') return t.message ? `${name}: ${t.message}` : words.waiting(name)
  return `${t.state === 'failed' ? words.failed : ''}${t.message || name}`
}

/** Work in the background: what runs, what failed, and what ended last. */
export function Tasks({ kinds, ended = 3 }: { kinds: string[]; ended?: number }) {
  const job = useJob()
  const tasks = useRead('/api/jobs/{job}/tasks')
  const path = (task: string) => ({ params: { path: { job: job.id, task } } })
  const cancel = useChange(async (task: string) => unwrap(await api.DELETE('/api/jobs/{job}/tasks/{task}', path(task))))
  const retry = useChange(async (task: string) =>
    unwrap(await api.POST('/api/jobs/{job}/tasks/{task}/retry', path(task))),
  )
  const retryAll = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/tasks/retry', { params: { path: { job: job.id } } })),
  )
  const mine = (tasks.data ?? []).filter((t) => kinds.includes(t.kind))
  const active = mine.filter(isActive).reverse()
  // what failed stays until it is tried again or a day has gone; what ended well makes room
  const failed = mine.filter((t) => t.state === 'failed')
  const rest = mine.filter((t) => !isActive(t) && t.state !== 'failed').slice(0, ended)
  if (mine.length === 0) return null
  const edit = canEdit(job)
  return (
    <div className="tasks" aria-label={words.backgroundWork} aria-live="polite" role="group">
      {[...active, ...failed, ...rest].map((t) => (
        <div key={t.id} className={`task ${t.state}`} data-state={t.state}>
          <span>
            {says(t)} {left(t) && <span className="faint">{left(t)}</span>}
          </span>
          {t.state === 'running' ? (
            <progress value={t.progress} max={1} aria-label={t.message || t.kind} />
          ) : (
            <span className="faint">{t.state}</span>
          )}
          {edit && (t.state === 'failed' || t.state === 'cancelled') && (
            <button type="button" className="link" onClick={() => retry.mutate(t.id)}>
              {words.tryAgainPlain}
            </button>
          )}
          {edit && isActive(t) && (
            <button type="button" className="link" onClick={() => cancel.mutate(t.id)}>
              {t.cancel ? words.stopping : words.cancel}
            </button>
          )}
        </div>
      ))}
      {edit && failed.length > 1 && (
        <button type="button" className="link" onClick={() => retryAll.mutate(undefined)}>
          {words.tryAllAgain(failed.length)}
        </button>
      )}
    </div>
  )
}

/** Work of every job, on the desk. */
export function AllTasks() {
  const tasks = useQuery({
    queryKey: ['tasks'],
    queryFn: async () => unwrap(await api.GET('/api/tasks')),
    refetchInterval: (q) => (q.state.data?.some(isActive) ? 2000 : 15_000),
  })
  if (!tasks.data?.length) return null
  return (
    <>
      <Head aside={words.inAllJobs}>{words.backgroundWork}</Head>
      <div className="tasks" aria-label={words.backgroundWorkOfAll} role="group">
        {tasks.data.slice(0, 12).map((t) => (
          <div key={t.id} className={`task ${t.state}`}>
            <span>
              <Link to={`/jobs/${t.job_id}/${t.kind === 'scan' || t.kind === 'ingest' ? 'field' : 'brief'}`}>
                {t.job_name}
              </Link>
              : {says(t)}
            </span>
            {t.state === 'running' ? (
              <progress value={t.progress} max={1} aria-label={t.message || t.kind} />
            ) : (
              <span className="faint">{t.state}</span>
            )}
            <span className="faint">{left(t) || ago(t.created_at)}</span>
          </div>
        ))}
      </div>
    </>
  )
}
