import { useQuery } from '@tanstack/react-query'
import { Button, Input, Segmented } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { CloudView } from '../../cloud/CloudView'
import type { Picked } from '../../cloud/scans'
import { useJob } from '../../lib/hooks'
import { UNIT_NAMES, UnitContext, unitsOf, useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { field as words } from '../../words'
import type { Pin } from './Notes'
import type { Journal } from './useJournal'

const NONE: never[] = []
type Span = Schema['SpanDto']

/** Lengths between picked points, along the slope, level and plumb, in the unit that somebody asks in; and pins for notes. */
export function Measure({ journal, edit, onPin }: { journal: Journal; edit: boolean; onPin: (p: Pin) => void }) {
  const own = useUnits()
  const [open, setOpen] = useState(false)
  const [unit, setUnit] = useState(own.code)
  // before anything is registered, what lies within one scan is known
  const job = useJob()
  const cloud = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/cloud', undefined],
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/cloud', { params: { path: { job: job.id } } })),
    enabled: open,
  })
  const kept = journal.entries.filter((e) => e.stands && e.fact.kind === 'measured').reverse()
  return (
    <details className="site-part" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>
        <Head aside={kept.length ? words.lengthsKept(kept.length) : words.tapTwoPoints}>{words.measureHere}</Head>
      </summary>
      {open && cloud.data && (
        <UnitContext.Provider value={unitsOf(unit)}>
          <div className="bar">
            <Segmented
              aria-label={words.unitAskedIn}
              value={unit}
              onChange={setUnit}
              options={Object.keys(UNIT_NAMES).map((value) => ({ value, label: value }))}
            />
            <span className="faint">{UNIT_NAMES[unit]}</span>
          </div>
          <div className="site-cloud">
            <CloudView
              frame={cloud.data.scans.length === 0 ? 'scan' : undefined}
              targets={NONE}
              ties={NONE}
              selected={null}
              measure
              extra={(picked, spans) => edit && <Kept journal={journal} picked={picked} spans={spans} onPin={onPin} />}
            />
          </div>
        </UnitContext.Provider>
      )}
      <ul className="site-notes" aria-label={words.lengthsText}>
        {kept.map((e) => e.fact.kind === 'measured' && <Length key={e.id} of={e.fact.data} by={e.by} />)}
      </ul>
    </details>
  )
}

/** What is done with what was picked: kept as a length, or a note is pinned there. */
function Kept(p: { journal: Journal; picked: Picked[]; spans: Span[]; onPin: (p: Pin) => void }) {
  const [name, setName] = useState('')
  const last = p.spans.at(-1)
  const [from, to] = p.picked.slice(-2)
  const keep = async () => {
    if (!last || !from || !to) return
    const pair = (v: number[]): [number | null, number | null] => [v[0] ?? null, v[1] ?? null]
    const kept = await p.journal.note({
      kind: 'measured',
      data: {
        id: crypto.randomUUID(),
        name: name.trim(),
        slope: pair(last.slope),
        horizontal: pair(last.horizontal),
        vertical: pair(last.vertical),
        scans: [from.name, to.name],
      },
    })
    if (kept) setName('')
  }
  const at = p.picked.at(-1)
  return (
    <div className="bar">
      {last && (
        <>
          <Input
            aria-label={words.whatIsMeasured}
            placeholder={words.whatIsMeasured}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="primary" onClick={() => void keep()}>
            {words.keepLength}
          </Button>
        </>
      )}
      {at && <Button onClick={() => p.onPin({ scan: at.scan, name: at.name, at: at.local })}>{words.noteHere}</Button>}
    </div>
  )
}

function Length({ of: m, by }: { of: Schema['LengthDto']; by: string }) {
  const u = useUnits()
  const one = ([v, e]: (number | null)[]) => `${u.len(v, 3)} ± ${e == null ? '?' : u.err(e)}`
  return (
    <li>
      <strong>{m.name || words.length}</strong> {words.slopeIs(one(m.slope))}, {words.levelIs(one(m.horizontal))},{' '}
      {words.plumbIs(one(m.vertical))} <span className="faint">{words.lengthUnits(u.code, u.small)}</span>
      <br />
      <small className="faint">
        {by}
        {m.scans.filter(Boolean).length > 0 && ` · ${m.scans.join(' – ')}`}
      </small>
    </li>
  )
}
