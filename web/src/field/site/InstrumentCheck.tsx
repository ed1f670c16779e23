import { useQuery } from '@tanstack/react-query'
import { Button, Input, InputNumber } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { num, when } from '../../lib/format'
import { useAsk, useChange, useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Caution, Head, States } from '../../parts'
import { field as words } from '../../words'
import type { Entry } from './journal'
import { CheckPolicy, Trend } from './Policy'
import { readDistances, readFaces, writeDistances, writeFaces } from './readings'
import type { Journal } from './useJournal'

type Check = Schema['InstrumentCheckDto']
type Found = Schema['ErrorFoundDto']

/** A check of the instrument: how to lay it out, what was read, what it found, and what to do. */
export function InstrumentCheck({
  journal,
  edit,
  instrument,
  due,
}: {
  journal: Journal
  edit: boolean
  instrument: string
  /** Why a check is due. */
  due: string | null | undefined
}) {
  const done = journal.entries.filter((e) => e.stands && e.fact.kind === 'instrument').reverse()
  const [editing, setEditing] = useState(false)
  return (
    <details className="site-part">
      <summary>
        <Head aside={done.length ? words.checkedTimes(done.length) : words.notChecked}>{words.instrumentCheck}</Head>
      </summary>
      {due && <p className="warn">{due}</p>}
      <CheckPolicy journal={journal} instrument={instrument} edit={edit} />
      <p>{words.checkLayout}</p>
      <Caution>{words.checkCaution}</Caution>
      {edit && !editing && <Button onClick={() => setEditing(true)}>{words.enterReadings}</Button>}
      {edit && editing && <Readings journal={journal} instrument={instrument} onDone={() => setEditing(false)} />}
      {done.map((e) => (
        <Result key={e.id} entry={e} edit={edit} />
      ))}
      <History instrument={instrument} />
    </details>
  )
}

function Readings({ journal, instrument, onDone }: { journal: Journal; instrument: string; onDone: () => void }) {
  const job = useJob()
  const u = useUnits()
  const [name, setName] = useState(instrument)
  const [faces, setFaces] = useState('')
  const [distances, setDistances] = useState('')
  const [onFor, setOnFor] = useState<number | null>(null)
  const [temperature, setTemperature] = useState<number | null>(null)
  const [jobTemperature, setJobTemperature] = useState<number | null>(null)
  const [simulated, setSimulated] = useState(false)
  const [wrong, setWrong] = useState('')
  const read = useAsk(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/field/instrument-checks/simulated', { params: { path: { job: job.id } } }),
      ),
    (c: Check) => {
      setFaces(writeFaces(c.faces))
      setDistances(writeDistances(c.distances, u.metres))
      setOnFor(c.on_for / 60)
      setTemperature(c.temperature)
      setSimulated(true)
    },
  )
  const keep = async () => {
    const f = readFaces(faces)
    const d = readDistances(distances, u.metres)
    const said = f.wrong ?? d.wrong ?? (onFor == null || temperature == null ? words.sayConditions : '')
    setWrong(said)
    if (said) return
    const data: Check = {
      id: crypto.randomUUID(),
      instrument: name,
      faces: f.rows,
      distances: d.rows,
      on_for: (onFor ?? 0) * 60,
      temperature: temperature ?? 0,
      job_temperature: jobTemperature,
      decision: '',
      simulated,
    }
    if (await journal.note({ kind: 'instrument', data })) onDone()
  }
  const number = (label: string, value: number | null, set: (v: number | null) => void, suffix: string) => (
    <label className="field">
      <span className="label">{label}</span>
      <InputNumber
        aria-label={label}
        controls={false}
        style={{ width: '100%' }}
        suffix={suffix}
        value={value}
        onChange={set}
      />
    </label>
  )
  return (
    <form
      className="site-form"
      onSubmit={(e) => {
        e.preventDefault()
        void keep()
      }}
    >
      <div className="fields">
        <label className="field">
          <span className="label">{words.whichInstrument}</span>
          <Input aria-label={words.whichInstrument} value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        {number(words.onFor, onFor, setOnFor, 'min')}
        {number(words.temperature, temperature, setTemperature, '°C')}
        {number(words.jobTemperature, jobTemperature, setJobTemperature, '°C')}
      </div>
      <label className="field">
        <span className="label">{words.twoFaces}</span>
        <Input.TextArea
          aria-label={words.twoFaces}
          autoSize={{ minRows: 4 }}
          value={faces}
          onChange={(e) => setFaces(e.target.value)}
          placeholder="12.00310 5.10020 12.00110 5.09890"
        />
      </label>
      <label className="field">
        <span className="label">{words.knownDistances(u.code)}</span>
        <Input.TextArea
          aria-label={words.knownDistances(u.code)}
          autoSize={{ minRows: 3 }}
          value={distances}
          onChange={(e) => setDistances(e.target.value)}
          placeholder="12.0004 12.0021"
        />
      </label>
      {wrong && <p className="warn">{wrong}</p>}
      <div className="bar">
        <Button type="primary" htmlType="submit">
          {words.keepReadings}
        </Button>
        {job.simulated && (
          <Button loading={read.isPending} onClick={() => read.mutate(undefined)}>
            {words.letSimulatedRead}
          </Button>
        )}
        <Button onClick={onDone}>{words.back}</Button>
      </div>
    </form>
  )
}

/** Checks of the same instrument in all jobs that one works in: an error that grows shows here. */
function History({ instrument }: { instrument: string }) {
  const job = useJob()
  const [open, setOpen] = useState(false)
  const read = useQuery({
    queryKey: ['job', job.id, 'instrument-checks', instrument],
    queryFn: async () =>
      unwrap(
        await api.GET('/api/jobs/{job}/field/instrument-checks', {
          params: { path: { job: job.id }, query: { instrument } },
        }),
      ),
    enabled: open,
  })
  if (!open) return <Button onClick={() => setOpen(true)}>{words.earlierChecks}</Button>
  return (
    <States of={read} what={words.earlierChecks}>
      {(['collimation', 'trunnion', 'index', 'range_offset', 'range_scale'] as const).map((parameter) => (
        <Trend key={parameter} checks={read.data ?? []} parameter={parameter} />
      ))}
      <ul className="site-history" aria-label={words.earlierChecks}>
        {(read.data ?? []).map((c) => (
          <li key={`${c.job} ${c.at}`}>
            <strong>{when(c.at)}</strong> {c.job}, {c.by}, {num(c.temperature, 0)} °C
            <ul>
              {c.found.map((f) => (
                <li key={f.parameter}>
                  {words.errorNames[f.parameter]} {f.said[0]}
                </li>
              ))}
            </ul>
          </li>
        ))}
        {read.data?.length === 0 && <li className="faint">{words.noEarlierChecks}</li>}
      </ul>
    </States>
  )
}

const SIGNS: Record<Found['advice'], string> = { leave: '○', apply: '→', repeat: '↻', send_in: '×' }

function Result({ entry: e, edit }: { entry: Entry; edit: boolean }) {
  const job = useJob()
  const take = useChange(async (corrected: boolean) =>
    unwrap(
      await api.POST('/api/jobs/{job}/field/instrument-checks/profile', {
        params: { path: { job: job.id } },
        body: { entry: e.id, corrected },
      }),
    ),
  )
  if (e.fact.kind !== 'instrument') return null
  const c = e.fact.data
  const open = e.errors.some((f) => f.advice === 'repeat' || f.advice === 'send_in')
  return (
    <section className="site-check-result" aria-label={words.checkOf(c.instrument)}>
      <h3>
        {words.checkOf(c.instrument)}{' '}
        <span className="faint">
          {when(e.at)}, {c.temperature} °C{c.simulated && `, ${words.simulatedReadings}`}
        </span>
      </h3>
      {e.unsent && <p className="faint">{words.judgedWhenSent}</p>}
      <ul>
        {e.errors.map((f) => (
          <li key={f.parameter} className={f.advice}>
            <b aria-hidden="true">{SIGNS[f.advice]}</b>
            <strong>{words.errorNames[f.parameter]}</strong>
            <span>{f.said.join('; ')}</span>
          </li>
        ))}
      </ul>
      {edit && !open && e.errors.length > 0 && (
        <div className="bar">
          <Button loading={take.isPending} onClick={() => take.mutate(true)}>
            {words.correctedInIt}
          </Button>
          <Button loading={take.isPending} onClick={() => take.mutate(false)}>
            {words.profileCovers}
          </Button>
        </div>
      )}
    </section>
  )
}
