import { useState } from 'react'
import { Link } from 'react-router-dom'
import { num } from '../lib/format'
import { useJob, useRead } from '../lib/hooks'
import { withPicks } from '../lib/picks'
import { useUnits } from '../lib/units'
import { Term } from '../parts'
import { shell as words } from '../words'

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
        <section className="budget" aria-label={words.errorBudget}>
          <span>{words.varianceAt(weakest ?? words.theWeakestSpot)}</span>
          {summary.sources.length === 0 ? (
            <span className="faint">{words.knownAfterTheAdjustment}</span>
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
            <Link to={withPicks(`/jobs/${job.id}/register`, [{ kind: 'target', name: weakest }])}>
              {words.showWeakest(weakest)}
            </Link>
          )}
        </section>
      )}
      <footer className="title-block" aria-label={words.titleBlock}>
        <div className={summary.simulated ? 'simulated' : ''}>
          <small>{summary.simulated ? words.simulatedScansSheet : words.jobSheet}</small>
          <strong title={job.name}>
            {job.name} · {sheet}
          </strong>
        </div>
        <div>
          <small>{words.datumUnit}</small>
          <strong>
            {job.brief.epsg ? words.epsg(job.brief.epsg, job.brief.output) : words.localGrid} · {u.code}
          </strong>
        </div>
        <div>
          <small>
            {words.required}
            <Term of="at95">{summary.requirement}</Term>)
          </small>
          <strong>{fig(summary.required)}</strong>
        </div>
        <div className={tone(summary.predicted)}>
          <small>{words.predicted}</small>
          <strong>
            {fig(summary.predicted)}
            {mark(summary.predicted)}
          </strong>
        </div>
        <div className={tone(summary.achieved)}>
          <small>{words.achieved(summary.achieved != null && !summary.on_grid ? words.blockOnly : '')}</small>
          <strong>
            {fig(summary.achieved)}
            {mark(summary.achieved)}
          </strong>
        </div>
        <button type="button" onClick={() => setOpen(!open)} aria-expanded={open}>
          <small>{words.weakestSpot}</small>
          <strong>{weakest ?? '–'}</strong>
        </button>
        <div>
          <small>{words.revision}</small>
          <strong>{summary.revision ?? '–'}</strong>
        </div>
        <div>
          <small>{words.preparedChecked}</small>
          <strong title={`${summary.prepared ?? '–'} · ${summary.checked ?? '–'}`}>
            {initials(summary.prepared)} · {initials(summary.checked)}
          </strong>
        </div>
      </footer>
    </>
  )
}
