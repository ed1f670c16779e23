import { type ReactNode, useEffect, useRef } from 'react'

/** A dense table: words left, numbers right and aligned, the unit in the heading. */
export function Ledger<T>(p: {
  rows: T[]
  id: (row: T) => string
  columns: { head: ReactNode; cell: (row: T) => ReactNode; num?: boolean; width?: number }[]
  selected?: string | null
  onSelect?: (id: string | null) => void
  tone?: (row: T) => string | undefined
  empty: string
  label: string
}) {
  const at = useRef<HTMLTableRowElement>(null)
  useEffect(() => {
    void at.current?.scrollIntoView({ block: 'nearest' })
  }, [p.selected])
  if (p.rows.length === 0) return <p className="empty">{p.empty}</p>
  return (
    <table className="ledger" aria-label={p.label}>
      <thead>
        <tr>
          {p.columns.map((c, i) => (
            <th key={i} className={c.num ? 'num' : ''} style={{ width: c.width }}>
              {c.head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {p.rows.map((row) => {
          const id = p.id(row)
          const on = p.selected === id
          return (
            <tr
              key={id}
              ref={on ? at : null}
              className={`${on ? 'on' : ''} ${p.tone?.(row) ?? ''} ${p.onSelect ? 'pick' : ''}`}
              tabIndex={p.onSelect ? 0 : undefined}
              aria-selected={p.onSelect ? on : undefined}
              onClick={() => p.onSelect?.(on ? null : id)}
              onKeyDown={(e) => e.key === 'Enter' && p.onSelect?.(on ? null : id)}
            >
              {p.columns.map((c, i) => (
                <td key={i} className={c.num ? 'num' : ''}>
                  {c.cell(row)}
                </td>
              ))}
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

const MARKS: Record<string, [string, string]> = {
  sound: ['', 'sound'],
  doubtful: ['?', 'doubtful'],
  failed: ['×', 'failed'],
  not_judged: ['·', 'faint'],
  met: ['', 'sound'],
  'not met': ['×', 'failed'],
  'not demonstrated': ['?', 'doubtful'],
}

/** A grade: a line pattern, a mark and a word, never colour alone. */
export function Grade({ value }: { value: string }) {
  const [mark, tone] = MARKS[value] ?? ['', 'faint']
  return (
    <span className={`grade ${tone}`}>
      <svg width="22" height="8" aria-hidden="true">
        <line x1="0" y1="4" x2="22" y2="4" />
      </svg>
      {value.replace('_', ' ')}
      {mark && <b aria-hidden="true"> {mark}</b>}
    </span>
  )
}

/** A judgement: what was found, the evidence, what it means, the choices. */
export function VerdictCard(p: {
  tone: 'sound' | 'doubtful' | 'failed'
  title: string
  evidence: string[]
  meaning?: string
  children?: ReactNode
}) {
  return (
    <section className={`card ${p.tone}`} aria-label={p.title}>
      <h3>{p.title}</h3>
      <ul>
        {p.evidence.map((e) => (
          <li key={e}>{e}</li>
        ))}
      </ul>
      {p.meaning && <p>{p.meaning}</p>}
      {p.children && <div className="choices">{p.children}</div>}
    </section>
  )
}

/** A caution, short, at the place where it matters. */
export const Caution = ({ children }: { children: ReactNode }) => (
  <p className="caution" role="note">
    {children}
  </p>
)

/** A head over a part of a sheet. */
export const Head = ({ children, aside }: { children: ReactNode; aside?: ReactNode }) => (
  <div className="head">
    <h2>{children}</h2>
    <span>{aside}</span>
  </div>
)

/** Two 95 % bars against a limit: the eye sees at once whether it fits. */
export function Against({ value, limit, label }: { value: number | null | undefined; limit: number; label: string }) {
  if (value == null) return <div className="against" aria-label={label} />
  const share = Math.min(value / limit / 1.6, 1)
  return (
    <div className="against" role="img" aria-label={`${label}: ${((100 * value) / limit).toFixed(0)} % of the limit`}>
      <i className={value > limit ? 'over' : ''} style={{ width: `${share * 100}%` }} />
      <b style={{ left: `${100 / 1.6}%` }} />
    </div>
  )
}
