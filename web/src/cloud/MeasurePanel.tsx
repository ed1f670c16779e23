import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useJob } from '../lib/hooks'
import { useUnits } from '../lib/units'
import type { Picked } from './scans'
import { cloud as words } from '../words'

/** What else is done with picked points and what lies between them. */
export type Extra = (picked: Picked[], spans: Schema['SpanDto'][]) => ReactNode

/** Coordinates of the picked points and what lies between them, in the job's unit, with 95 %. */
export function MeasurePanel({
  frame,
  picked,
  onClear,
  extra,
}: {
  frame?: string
  picked: Picked[]
  onClear: () => void
  extra?: Extra
}) {
  const job = useJob()
  const u = useUnits()
  const points = picked.map((p) => ({ scan: p.scan, at: p.local }))
  const measured = useQuery({
    queryKey: ['measure', job.id, frame, points],
    enabled: points.length > 0,
    placeholderData: (old) => old,
    queryFn: async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/measure', {
          params: { path: { job: job.id }, query: { frame } },
          body: { points },
        }),
      ),
  })
  if (points.length === 0) return null
  const m = measured.data
  const known = m && m.frame !== 'as delivered'
  const axes = m?.frame === 'grid' ? ['E', 'N', 'H'] : ['x', 'y', 'z']
  const pair = ([v, e]: number[]) => (
    <>
      {u.len(v, 4)} <span className="faint">± {known ? u.err(e) : '?'}</span>
    </>
  )
  return (
    <div className="measure" aria-label={words.measured}>
      <button className="close" onClick={onClear} aria-label={words.clearMeasuredPoints}>
        {words.clearEsc}
      </button>
      {measured.error && <p className="warn">{measured.error.message}</p>}
      <table className="ledger" aria-label={words.measuredPoints}>
        <thead>
          <tr>
            <th>{words.point}</th>
            {axes.map((a) => (
              <th key={a} className="num">
                {a} [{u.code}]
              </th>
            ))}
            <th className="num">3-D 95 % [{u.small}]</th>
          </tr>
        </thead>
        <tbody>
          {m?.points.map((p, i) => (
            <tr key={i} data-point={p.position.join(' ')}>
              <td>
                {i + 1} <span className="faint">{p.scan}</span>
              </td>
              {p.position.map((v, k) => (
                <td key={k} className="num">
                  {u.len(v, 4)}
                </td>
              ))}
              <td className="num">{known ? u.err(p.error.spatial) : words.notKnown}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {m && m.spans.length > 0 && (
        <table className="ledger" aria-label={words.distances}>
          <thead>
            <tr>
              <th>{words.fromTo}</th>
              <th className="num">{words.slope95(u.code, u.small)}</th>
              <th className="num">{words.horizontal}</th>
              <th className="num">{words.vertical}</th>
            </tr>
          </thead>
          <tbody>
            {m.spans.map((s, i) => (
              <tr key={i}>
                <td>
                  {i + 1}–{i + 2}
                </td>
                <td className="num">
                  <b>{pair(s.slope)}</b>
                </td>
                <td className="num">{pair(s.horizontal)}</td>
                <td className="num">{pair(s.vertical)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {extra?.(picked, m?.spans ?? [])}
    </div>
  )
}
