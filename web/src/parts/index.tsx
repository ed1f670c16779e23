import { Popconfirm } from 'antd'
import type { ReactNode } from 'react'
import { num } from '../lib/format'
import { common as words } from '../words'

export { Ledger } from './Ledger'
export { States } from './States'

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
      {value.replaceAll('_', ' ')}
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
  if (value == null) return <div className="against" role="img" aria-label={words.notKnown(label)} />
  const share = Math.min(value / limit / 1.6, 1)
  return (
    <div className="against" role="img" aria-label={words.ofTheLimit(label, num((100 * value) / limit, 0))}>
      <i className={value > limit ? 'over' : ''} style={{ width: `${share * 100}%` }} />
      <b style={{ left: `${100 / 1.6}%` }} />
    </div>
  )
}

/** Something that cannot be undone: it asks once, and says what will be gone. */
export const Confirm = (p: { title: string; onConfirm: () => void; children: ReactNode; label?: string }) => (
  <Popconfirm
    title={p.title}
    okText={words.yes}
    cancelText={words.no}
    okButtonProps={{ danger: true }}
    onConfirm={p.onConfirm}
  >
    <button type="button" className="link" aria-label={p.label}>
      {p.children}
    </button>
  </Popconfirm>
)

/** A term with a short explanation on demand. */
export { Term } from './Term'
export { Conflicts } from './Conflicts'
