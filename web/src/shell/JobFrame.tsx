import { useQuery } from '@tanstack/react-query'
import { Modal, Spin } from 'antd'
import { lazy, Suspense, useState } from 'react'
import { Link, NavLink, useNavigate, useParams } from 'react-router-dom'
import { api, type Schema, unwrap } from '../api/client'
import { JobContext, useEvents, useKey, useRead } from '../lib/hooks'
import { UnitContext, unitsOf, useUnits } from '../lib/units'
import type { User } from './Shell'

const SHEETS = {
  brief: lazy(() => import('../sheets/Brief')),
  plan: lazy(() => import('../sheets/Plan')),
  field: lazy(() => import('../sheets/Field')),
  register: lazy(() => import('../sheets/Register')),
  georeference: lazy(() => import('../sheets/Georeference')),
  check: lazy(() => import('../sheets/Check')),
  deliver: lazy(() => import('../sheets/Deliver')),
}
type Sheet = keyof typeof SHEETS
const KEYS: [string, string][] = [
  ['1 … 7', 'go to a sheet'],
  ['?', 'show this'],
  ['s t w', 'plan: place a station, a target, draw a wall'],
  ['o c f a e h', 'plan: an obstacle, a column, a floor, an area, an edge, a height'],
  ['v', 'plan: pick and move'],
  ['l', 'plan: lock the picked stations'],
  ['Delete', 'plan: remove what is picked'],
  ['Ctrl Z, Ctrl Y', 'plan: undo, redo'],
  ['Esc', 'leave what is begun'],
  ['m', 'cloud: measure between points'],
  ['Backspace', 'cloud: take back the last measured point'],
  ['a station’s name', 'cloud: a click stands there and looks around'],
  ['r', 'register: run'],
  ['g', 'georeference: fit'],
  ['Ctrl Z, Ctrl Y', 'georeference: undo, redo a change of control'],
]

/** A job: the index of sheets, the sheet, the title block. */
export function JobFrame({ user }: { user: User }) {
  const { id = '', sheet = 'brief' } = useParams()
  const job = useQuery({
    queryKey: ['job', id, 'job'],
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}', { params: { path: { job: id } } })),
    retry: false,
  })
  if (job.isPending)
    return (
      <div className="center">
        <Spin />
      </div>
    )
  if (!job.data)
    return (
      <div className="center">
        <p>
          {job.error?.message ?? 'This job is not there.'} <Link to="/">To the jobs</Link>
        </p>
      </div>
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
  const { id = '' } = useParams()
  const go = useNavigate()
  const [keys, setKeys] = useState(false)
  const summary = useRead<Schema['SummaryDto']>('/api/jobs/{job}/summary')
  const job = useQuery<Schema['JobDto']>({ queryKey: ['job', id, 'job'], enabled: false }).data
  const client = job?.role === 'client'
  useEvents(id, !client)
  useKey('?', () => setKeys(true))
  const names = (Object.keys(SHEETS) as Sheet[]).filter((s) => !client || s === 'deliver' || s === 'check')
  const Page = SHEETS[sheet]
  return (
    <div className="frame">
      <nav className="index" aria-label="Sheets">
        <Link to="/" className="home">
          Vistazo
        </Link>
        {names.map((s, i) => {
          const state = summary.data?.sheets.find((x) => x.sheet === s)
          return (
            <SheetTab
              key={s}
              n={i + 1}
              to={`/jobs/${id}/${s}`}
              name={s}
              state={state?.state ?? ''}
              note={state?.note ?? ''}
            />
          )
        })}
        <div className="who">
          {user.name}
          <br />
          {job?.role} · <button onClick={() => setKeys(true)}>keys ?</button>
        </div>
      </nav>
      <main className="sheet">
        <Suspense
          fallback={
            <div className="center">
              <Spin />
            </div>
          }
        >
          <Page key={sheet} />
        </Suspense>
      </main>
      <TitleBlock
        summary={summary.data}
        sheet={sheet}
        onWeakest={(name) => go(`/jobs/${id}/register?target=${name}`)}
      />
      <Modal open={keys} onCancel={() => setKeys(false)} footer={null} title="Keys">
        <table className="ledger">
          <tbody>
            {KEYS.map(([k, w]) => (
              <tr key={k}>
                <td>
                  <b>{k}</b>
                </td>
                <td>{w}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Modal>
    </div>
  )
}

function SheetTab({ n, to, name, state, note }: { n: number; to: string; name: string; state: string; note: string }) {
  const go = useNavigate()
  useKey(String(n), () => go(to))
  return (
    <NavLink to={to} className={({ isActive }) => `tab ${state} ${isActive ? 'active' : ''}`}>
      <strong>{name.charAt(0).toUpperCase() + name.slice(1)}</strong>
      <small>
        {note || ' '}
        {state === 'attention' ? ' !' : ''}
      </small>
    </NavLink>
  )
}

/** The error budget in one line; the weakest spot opens its contributions. */
function TitleBlock({
  summary,
  sheet,
  onWeakest,
}: {
  summary?: Schema['SummaryDto']
  sheet: string
  onWeakest: (name: string) => void
}) {
  const u = useUnits()
  const { id = '' } = useParams()
  const [open, setOpen] = useState(false)
  const job = useQuery<Schema['JobDto']>({ queryKey: ['job', id, 'job'], enabled: false }).data
  if (!summary || !job) return <footer className="title-block" />
  const tone = (v: number | null | undefined) =>
    v == null || summary.required == null ? '' : v <= summary.required ? 'within' : 'over'
  const fig = (v: number | null | undefined) => (v == null ? '–' : `${u.err(v)} ${u.small}`)
  return (
    <>
      {open && (
        <section className="budget" aria-label="Error budget">
          <span>Variance at {summary.weakest ?? 'the weakest spot'}</span>
          {summary.sources.length === 0 ? (
            <span className="faint">known after the adjustment</span>
          ) : (
            <div className="stack">
              {summary.sources.map((s) => (
                <i key={s.name} style={{ width: `${s.share * 100}%` }} title={s.name}>
                  {s.share > 0.05 ? `${s.name} ${(s.share * 100).toFixed(0)} %` : ''}
                </i>
              ))}
            </div>
          )}
          {summary.weakest && (
            <a
              href="#weakest"
              onClick={(e) => {
                e.preventDefault()
                onWeakest(summary.weakest ?? '')
              }}
            >
              show {summary.weakest}
            </a>
          )}
        </section>
      )}
      <footer className="title-block" aria-label="Title block">
        <div className={summary.simulated ? 'simulated' : ''}>
          <small>{summary.simulated ? 'SIMULATED SCANS · sheet' : 'Job · sheet'}</small>
          <strong>
            {job.name} · {sheet}
          </strong>
        </div>
        <div>
          <small>Datum · unit</small>
          <strong>
            {job.brief.epsg ? `EPSG:${job.brief.epsg} ${job.brief.output}` : 'local grid'} · {u.code}
          </strong>
        </div>
        <div>
          <small>Required ({summary.requirement})</small>
          <strong>{fig(summary.required)}</strong>
        </div>
        <div className={tone(summary.predicted)}>
          <small>Predicted</small>
          <strong>{fig(summary.predicted)}</strong>
        </div>
        <div className={tone(summary.achieved)}>
          <small>Achieved{summary.achieved != null && !summary.on_grid ? ' (block only)' : ''}</small>
          <strong>{fig(summary.achieved)}</strong>
        </div>
        <button onClick={() => setOpen(!open)} aria-expanded={open}>
          <small>Weakest spot</small>
          <strong>{summary.weakest ?? '–'}</strong>
        </button>
        <div>
          <small>Revision</small>
          <strong>{summary.revision ?? '–'}</strong>
        </div>
        <div>
          <small>Prepared · checked</small>
          <strong title={`${summary.prepared ?? '–'} · ${summary.checked ?? '–'}`}>
            {initials(summary.prepared)} · {initials(summary.checked)}
          </strong>
        </div>
      </footer>
    </>
  )
}

const initials = (name: string | null | undefined) =>
  name
    ?.split(' ')
    .map((w) => w[0])
    .join('') ?? '–'
