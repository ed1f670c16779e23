import { useQuery } from '@tanstack/react-query'
import { Spin } from 'antd'
import { Suspense, useEffect, useState } from 'react'
import { Link, NavLink, useNavigate, useParams } from 'react-router-dom'
import { api, unwrap } from '../api/client'
import { pace, useUploads } from '../field/uploads'
import { num, span, when } from '../lib/format'
import { JobContext, useEvents, useJob, useKey, useRead } from '../lib/hooks'
import { useOld } from '../lib/line'
import { usePicks, withPicks } from '../lib/picks'
import { UnitContext, unitsOf } from '../lib/units'
import { States } from '../parts'
import { Boundary } from './Boundary'
import { Said } from './Said'
import { SettingsDialog } from './Settings'
import type { User } from './Shell'
import { type Sheet, SHEET_NAMES, SHEETS } from './sheets'
import { TitleBlock } from './TitleBlock'
import { WayOn } from './WayOn'
import { shell as words } from '../words'

/** A job: the index of sheets, the sheet, the title block. */
export function JobFrame({ user }: { user: User }) {
  const { id = '', sheet = 'brief' } = useParams()
  const job = useQuery({
    queryKey: ['job', id, 'job'],
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}', { params: { path: { job: id } } })),
    refetchInterval: (q) => (q.state.status === 'error' ? 4000 : false),
  })
  if (!job.data)
    return (
      <main className="center">
        <div>
          <States of={job} what={words.theJob}>
            {null}
          </States>
          <Link to="/">{words.toTheJobs}</Link>
        </div>
      </main>
    )
  return (
    <JobContext value={job.data}>
      <UnitContext value={unitsOf(job.data.brief.unit)}>
        <Inside user={user} sheet={(sheet in SHEETS ? sheet : 'brief') as Sheet} />
      </UnitContext>
    </JobContext>
  )
}

function Inside({ user, sheet }: { user: User; sheet: Sheet }) {
  const job = useJob()
  const [settings, setSettings] = useState(false)
  const [picks] = usePicks()
  const client = job.role === 'client'
  const summary = useRead('/api/jobs/{job}/summary', !client)
  useEvents(job.id, !client)
  useKey('?', () => setSettings(true))
  useEffect(() => {
    document.title = `${words.sheetNames[sheet]} · ${job.name} · Vistazo`
    return () => {
      document.title = 'Vistazo'
    }
  }, [sheet, job.name])
  const names = SHEET_NAMES.filter((s) => !client || s === 'deliver' || s === 'check')
  const Page = SHEETS[sheet]
  return (
    <div className="frame">
      <a href="#sheet" className="skip">
        {words.skipToTheSheet}
      </a>
      <nav className="index" aria-label={words.sheets}>
        <Link to="/" className="home">
          {words.vistazo}
        </Link>
        {names.map((s, i) => {
          const state = summary.data?.sheets.find((x) => x.sheet === s)
          return (
            <SheetTab
              key={s}
              n={i + 1}
              to={withPicks(`/jobs/${job.id}/${s}`, picks)}
              name={words.sheetNames[s]}
              state={state?.state ?? ''}
              note={state?.note ?? ''}
            />
          )
        })}
        <div className="who">
          {user.name}
          <br />
          {job.role} ·{' '}
          <button type="button" onClick={() => setSettings(true)}>
            {words.readingKeys}
          </button>
        </div>
      </nav>
      <main className="sheet" id="sheet" tabIndex={-1}>
        <h1 className="unseen">{words.of(words.sheetNames[sheet], job.name)}</h1>
        <Boundary about={sheet}>
          <Suspense
            fallback={
              <div className="center">
                <Spin />
              </div>
            }
          >
            <Page key={sheet} />
          </Suspense>
        </Boundary>
        <WayOn sheet={sheet} summary={summary.data} />
      </main>
      <OldStrip />
      <UploadStrip />
      <TitleBlock sheet={sheet} />
      <Said />
      <SettingsDialog open={settings} onClose={() => setSettings(false)} />
    </div>
  )
}

function SheetTab(p: { n: number; to: string; name: string; state: string; note: string }) {
  const go = useNavigate()
  useKey(String(p.n), () => void go(p.to))
  return (
    <NavLink to={p.to} className={({ isActive }) => `tab ${p.state} ${isActive ? 'active' : ''}`}>
      <strong>{p.name}</strong>
      <small>
        {p.note || ' '}
        {p.state === 'attention' && <b aria-label={words.needsAttention}> !</b>}
      </small>
    </NavLink>
  )
}

/** The server is not reached: what is shown is what this device kept. */
function OldStrip() {
  const old = useOld()
  if (old === null) return null
  return (
    <div className="strip" role="status" aria-label={words.noNetwork}>
      <b>{words.noNetwork}</b>
      <span>
        {words.asReadAt(when(new Date(old).toString() === 'Invalid Date' ? null : new Date(old).toISOString()))}
      </span>
    </div>
  )
}

/** What is on its way, on every sheet. */
function UploadStrip() {
  const job = useJob()
  const { active } = useUploads(job.id)
  const [, tick] = useState(0)
  useEffect(() => {
    if (active.length === 0) return
    const t = setInterval(() => tick((n) => n + 1), 1000)
    return () => clearInterval(t)
  }, [active.length])
  if (active.length === 0) return null
  const { left, rate } = pace(active)
  const all = active.reduce((s, e) => s + e.file.size, 0)
  return (
    <div className="strip" role="status" aria-label={words.uploads}>
      <b>{words.filesOnTheWay(active.length)}</b>
      <progress value={all - left} max={all} aria-label={words.sent} />
      <span>
        {num((100 * (all - left)) / all, 0)} %{rate > 0 && words.aboutToGo(span(left / rate))}
      </span>
      <Link to={`/jobs/${job.id}/field`}>{words.show}</Link>
    </div>
  )
}
