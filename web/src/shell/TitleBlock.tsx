import { useState } from 'react'
import { Link } from 'react-router-dom'
import { num } from '../lib/format'
import { useJob, useRead } from '../lib/hooks'
import { withPicks } from '../lib/picks'
import { useUnits } from '../lib/units'
import { Term } from '../parts'

const initials = (name: string | null | undefined) =>
  name
    ?.split(' ')
    .map((w) => w[0])
    .join('') ?? '–'

/** The error budget in one line; the weakest spot opens its contributions. */
export function TitleBlock({ sheet }: { sheet: string }) {
  const u = useUnits()
  const job = useJob()
  const [open, setOpen] = useState(false)
  const read = useRead('/api/jobs/{job}/summary', job.role !== 'client')
  const summary = read.data
  if (!summary) return <footer className="title-block" />
  const tone = (v: number | null | undefined) => {
    if (v == null || summary.required == null) return ''
    return v <= summary.required ? 'within' : 'over'
  }
  const fig = (v: number | null | undefined) => (v == null ? '–' : `${u.err(v)} ${u.small}`)
  const mark = (v: number | null | undefined) => (tone(v) === 'over' ? ' ×' : '')
  const weakest = summary.weakest
  return (
    <>
      {open && (
        <section className="budget" aria-label="Error budget">
          <span>Variance at {weakest ?? 'the weakest spot'}</span>
          {summary.sources.length === 0 ? (
            <span className="faint">known after the adjustment</span>
          ) : (
            <div className="stack">
              {summary.sources.map((s) => (
                <i key={s.name} style={{ width: `${s.share * 100}%` }} title={s.name}>
                  {s.share > 0.05 ? `${s.name} ${num(s.share * 100, 0)} %` : ''}
                </i>
              ))}
            </div>
          )}
          {weakest && (
            <Link to={withPicks(`/jobs/${job.id}/register`, [{ kind: 'target', name: weakest }])}>show {weakest}</Link>
          )}
        </section>
      )}
      <footer className="title-block" aria-label="Title block">
        <div className={summary.simulated ? 'simulated' : ''}>
          <small>{summary.simulated ? 'SIMULATED SCANS · sheet' : 'Job · sheet'}</small>
          <strong title={job.name}>
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
          <small>
            Required (<Term of="95 %">{summary.requirement}</Term>)
          </small>
          <strong>{fig(summary.required)}</strong>
        </div>
        <div className={tone(summary.predicted)}>
          <small>Predicted</small>
          <strong>
            {fig(summary.predicted)}
            {mark(summary.predicted)}
          </strong>
        </div>
        <div className={tone(summary.achieved)}>
          <small>Achieved{summary.achieved != null && !summary.on_grid ? ' (block only)' : ''}</small>
          <strong>
            {fig(summary.achieved)}
            {mark(summary.achieved)}
          </strong>
        </div>
        <button type="button" onClick={() => setOpen(!open)} aria-expanded={open}>
          <small>Weakest spot</small>
          <strong>{weakest ?? '–'}</strong>
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
