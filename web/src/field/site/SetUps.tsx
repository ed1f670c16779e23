import { Button } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { when } from '../../lib/format'
import { useChange, useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { field as words } from '../../words'
import type { Entry } from './journal'
import { TypedSetUp } from './TotalStation'
import type { Journal } from './useJournal'

/** Set-ups of a total station: where it stood, what does not fit, and the points that it found. */
export function SetUps({ journal, edit }: { journal: Journal; edit: boolean }) {
  const done = journal.entries.filter((e) => e.stands && e.fact.kind === 'shots').reverse()
  const [typing, setTyping] = useState(false)
  if (done.length === 0 && !edit) return null
  return (
    <details className="site-part" open={done.length > 0}>
      <summary>
        <Head aside={done.length ? words.setUpsKept(done.length) : words.noSetUps}>{words.setUps}</Head>
      </summary>
      {edit && !typing && <Button onClick={() => setTyping(true)}>{words.typeSetUp}</Button>}
      {edit && typing && <TypedSetUp journal={journal} onDone={() => setTyping(false)} />}
      {done.map((e) => (
        <Result key={e.id} entry={e} edit={edit} />
      ))}
    </details>
  )
}

function Result({ entry: e, edit }: { entry: Entry; edit: boolean }) {
  const u = useUnits()
  if (e.fact.kind !== 'shots') return null
  const over = e.fact.data.over
  const found = e.set_up
  const sign = found?.sound ? '●' : '?'
  return (
    <section className="site-check-result" aria-label={words.setUpOf(over?.mark ?? '')}>
      <h3>
        {found && <b aria-hidden="true">{sign} </b>}
        {words.setUpOf(over?.mark ?? '')}{' '}
        <span className="faint">
          {e.by}, {when(e.at)}
        </span>
      </h3>
      {!found && <p className="faint">{words.judgedWhenSent}</p>}
      {found?.said.map((s, k) => (
        <p key={s} className={k > 0 && !found.sound ? 'warn' : ''}>
          {s}
        </p>
      ))}
      {found && found.residuals.length > 0 && (
        <table className="ledger" aria-label={words.leftOf}>
          <thead>
            <tr>
              <th>{words.markText}</th>
              <th className="num">
                {words.across} [{u.small}]
              </th>
              <th className="num">
                {words.along} [{u.small}]
              </th>
              <th className="num">
                {words.inHeight} [{u.small}]
              </th>
            </tr>
          </thead>
          <tbody>
            {found.residuals.map((r, k) => (
              <tr key={k}>
                <td>{r.name}</td>
                <td className="num">{u.err(r.across)}</td>
                <td className="num">{r.along == null ? '–' : u.err(r.along)}</td>
                <td className="num">{u.err(r.up)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {found?.points.map((p) => (
        <Point key={p.name} entry={e} point={p} edit={edit} />
      ))}
    </section>
  )
}

function Point({ entry, point: p, edit }: { entry: Entry; point: Schema['PolarPointDto']; edit: boolean }) {
  const job = useJob()
  const u = useUnits()
  const take = useChange(async () =>
    unwrap(
      await api.POST('/api/jobs/{job}/field/control', {
        params: { path: { job: job.id } },
        body: { entries: [entry.id], point: p.name },
      }),
    ),
  )
  return (
    <div className="site-target">
      <span>
        <strong>{p.name}</strong> {p.position.map((v) => u.len(v, 3)).join('  ')} {u.code}
        <br />
        <span className="faint">{p.said}</span>
      </span>
      {edit && (
        <Button loading={take.isPending} disabled={entry.unsent} onClick={() => take.mutate(undefined)}>
          {words.takePointAsControl}
        </Button>
      )}
    </div>
  )
}
