import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Button, Checkbox, Input } from 'antd'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router-dom'
import { api, type Schema, unwrap } from '../api/client'
import { ago, when } from '../lib/format'
import { useChange } from '../lib/hooks'
import { unitsOf } from '../lib/units'
import { Head, States } from '../parts'
import { Account } from './Account'
import { Said } from './Said'
import { SettingsDialog } from './Settings'
import type { User } from './Shell'
import { AllTasks } from './Tasks'
import { shell as words } from '../words'

type Job = Schema['JobDto']

/** The desk: every job with what is asked, how far it is, what is open, and what changed last. */
export function Jobs({ user }: { user: User }) {
  const go = useNavigate()
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const [training, setTraining] = useState(false)
  const [search, setSearch] = useState('')
  const [reading, setReading] = useState(false)
  const jobs = useQuery({
    queryKey: ['jobs'],
    queryFn: async () => unwrap(await api.GET('/api/jobs')),
    refetchInterval: (q) => (q.state.status === 'error' ? 4000 : 20_000),
  })
  const create = useChange(
    async () => unwrap(await api.POST('/api/jobs', { body: { name, training } })),
    (job) => {
      void queries.invalidateQueries({ queryKey: ['jobs'] })
      void go(`/jobs/${job.id}/brief`)
    },
  )
  const found = (jobs.data ?? []).filter((j) =>
    [j.name, j.brief.client, j.brief.site].join(' ').toLowerCase().includes(search.toLowerCase()),
  )
  return (
    <main className="jobs">
      <h1 className="unseen">{words.vistazo}</h1>
      <Head
        aside={
          <>
            {user.name} ·{' '}
            <button type="button" className="link" onClick={() => setReading(true)}>
              {words.readingKeys2}
            </button>
          </>
        }
      >
        {words.jobs}
      </Head>
      <States of={jobs} what={words.theJobs}>
        {(jobs.data?.length ?? 0) > 6 && (
          <Input
            allowClear
            aria-label={words.searchJobs}
            placeholder={words.searchNameClientSite}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
            style={{ width: 320, margin: '6px 0' }}
          />
        )}
        {found.map((j) => (
          <DeskRow key={j.id} job={j} />
        ))}
        {jobs.data?.length === 0 && <p className="empty">{words.noJobsYetName}</p>}
        {jobs.data?.length !== 0 && found.length === 0 && <p className="empty">{words.noJobHasThese}</p>}
      </States>
      <form
        className="bar"
        onSubmit={(e) => {
          e.preventDefault()
          create.mutate(undefined)
        }}
      >
        <Input
          aria-label={words.nameOfTheNewJob}
          placeholder={words.nameOfANew}
          value={name}
          onChange={(e) => setName(e.target.value)}
          style={{ width: 320 }}
        />
        <Checkbox checked={training} onChange={(e) => setTraining(e.target.checked)}>
          {words.trainingJobWithThe}
        </Checkbox>
        <Button type="primary" htmlType="submit" disabled={!name.trim()} loading={create.isPending}>
          {words.createJob}
        </Button>
      </form>
      <AllTasks />
      <Account />
      <Said />
      <SettingsDialog open={reading} onClose={() => setReading(false)} />
    </main>
  )
}

/** How far a job is, in a word or two. */
function stage(s: Job['standing']): string {
  if (!s) return ''
  if (s.checked) return `package ${s.package} signed`
  if (s.package != null) return `package ${s.package}, ${s.prepared ? words.toBeChecked : words.toBeSigned}`
  if (s.on_grid) return words.onTheGrid
  if (s.findings != null) return words.adjusted
  return s.scans > 0 ? words.scans(s.scans) : words.planned
}

function DeskRow({ job }: { job: Job }) {
  const s = job.standing
  const u = unitsOf(job.brief.unit)
  const asked = (
    [
      ['3-D', job.brief.requirement.spatial95],
      [words.horizontal, job.brief.requirement.horizontal95],
      [words.height, job.brief.requirement.vertical95],
    ] as const
  ).flatMap(([word, v]) => (v == null ? [] : [`${u.err(v)} ${u.small} ${word}`]))
  const open = s
    ? [
        ...(s.findings ? [words.findingsToDecide(s.findings)] : []),
        ...(s.failed ? [`${words.tasks(s.failed)} failed`] : []),
        ...(s.busy ? [words.tasksUnderWay(s.busy)] : []),
      ]
    : []
  return (
    <Link className="desk-row job-row" to={`/jobs/${job.id}/${job.role === 'client' ? 'deliver' : 'brief'}`}>
      <span>
        <strong>{job.name}</strong>
        <small>
          {job.brief.client || words.noClientYet} · {job.simulated ? words.simulated : ''}
          {job.role}
        </small>
      </span>
      <span>
        {asked[0] ?? <span className="warn">{words.nothingRequiredYet}</span>}
        <small>{words.required95(asked.length > 1 ? ` · ${asked.slice(1).join(' · ')}` : '')}</small>
      </span>
      <span>
        <b>{stage(s)}</b>
        <small className={s?.failed || s?.findings ? 'warn' : ''}>
          {open.join(' · ') || (s ? words.nothingOpen : '')}
        </small>
      </span>
      <span>
        {s?.change ?? ''}
        {s?.changed_at && (
          <small title={when(s.changed_at)}>
            {s.changed_by ?? words.theProgram}, {ago(s.changed_at)}
          </small>
        )}
      </span>
    </Link>
  )
}
