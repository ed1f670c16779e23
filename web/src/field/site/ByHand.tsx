import { Button, InputNumber } from 'antd'
import { useState } from 'react'
import { Head } from '../../parts'
import { field as words } from '../../words'
import { heads } from './journal'
import type { Journal } from './useJournal'

/** What the job's people would need by hand, and what was not spent for it. */
export function ByHand({
  journal,
  edit,
  saved,
}: {
  journal: Journal
  edit: boolean
  saved: string | null | undefined
}) {
  const last = heads(journal.entries, 'by hand').at(-1)
  const known = last?.fact.kind === 'by_hand' ? last.fact.data : undefined
  const [length, setLength] = useState<number | null>(known ? known.length / 60 : null)
  const [tie, setTie] = useState<number | null>(known ? known.tie / 60 : null)
  if (!edit && !saved) return null
  const minutes = (label: string, value: number | null, set: (v: number | null) => void) => (
    <label className="field">
      <span className="label">{label}</span>
      <InputNumber aria-label={label} controls={false} min={0} suffix="min" value={value} onChange={set} />
    </label>
  )
  return (
    <details className="site-part">
      <summary>
        <Head aside={saved ?? words.sayYourFigures}>{words.timeSaved}</Head>
      </summary>
      {saved && <p className="site-ok">{saved}</p>}
      <p className="faint">{words.onlyWhatHeld}</p>
      {edit && (
        <div className="fields">
          {minutes(words.minutesALength, length, setLength)}
          {minutes(words.minutesATie, tie, setTie)}
          <Button
            disabled={length == null || tie == null}
            onClick={() =>
              void journal.note({ kind: 'by_hand', data: { length: (length ?? 0) * 60, tie: (tie ?? 0) * 60 } })
            }
          >
            {words.keepFigures}
          </Button>
        </div>
      )}
    </details>
  )
}
