import { Button, Input, Select, Upload } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { ago, num } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { UNIT_NAMES, type Units, useUnits } from '../lib/units'
import { Caution, Confirm, Head, Ledger, States } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'
import { check as words } from '../words'

type Design = Schema['DesignDto']
type Word = Schema['BuiltWord']

/** What is to be built, against the clouds: there, elsewhere, or not yet. */
export function Designs() {
  const job = useJob()
  const edit = canEdit(job)
  const designs = useRead('/api/jobs/{job}/designs')
  const run = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/designs/run', { params: { path: { job: job.id } } })),
  )
  const rows = designs.data ?? []
  const stale = rows.some((r) => r.stale)
  return (
    <>
      <Head aside={stale ? words.notLookedFor : ''}>{words.againstDesign}</Head>
      <States of={designs} what={words.theDesigns}>
        {rows.length === 0 && <p className="empty">{words.noDesignYet}</p>}
        {edit && (
          <div className="bar">
            {stale && (
              <Button type="primary" loading={run.isPending} onClick={() => run.mutate(undefined)}>
                {words.lookAgain}
              </Button>
            )}
          </div>
        )}
        {edit && <Bring />}
        <Tasks kinds={['built']} ended={1} />
        {rows.map((r) => (
          <One key={r.id} design={r} edit={edit} />
        ))}
        {rows.length > 0 && <Caution>{words.whatADesignShows}</Caution>}
      </States>
    </>
  )
}

function Bring() {
  const job = useJob()
  const u = useUnits()
  const [open, setOpen] = useState(false)
  const [name, setName] = useState('')
  const [text, setText] = useState('')
  const [unit, setUnit] = useState(u.code)
  const [tolerance, setTolerance] = useState<number | null>(0.015)
  const add = useChange(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/designs', {
          params: { path: { job: job.id } },
          body: { name, text, unit, tolerance: tolerance ?? 0 },
        }),
      ),
    () => {
      setText('')
      setName('')
      setOpen(false)
    },
  )
  if (!open)
    return (
      <div className="bar">
        <Button onClick={() => setOpen(true)}>{words.bringADesign}</Button>
      </div>
    )
  return (
    <form
      aria-label={words.bringADesign}
      onSubmit={(e) => {
        e.preventDefault()
        add.mutate(undefined)
      }}
    >
      <div className="bar">
        <Input
          aria-label={words.nameOfTheDesign}
          placeholder={words.nameOfTheDesign}
          maxLength={80}
          value={name}
          onChange={(e) => setName(e.target.value)}
          style={{ width: 260 }}
        />
        <Upload
          accept=".csv,.txt,.dxf"
          showUploadList={false}
          beforeUpload={(f) => {
            void f.text().then(setText)
            return false
          }}
        >
          <Button>{words.openADesign}</Button>
        </Upload>
        <Select
          aria-label={words.unitOfTheFile}
          value={unit}
          onChange={setUnit}
          options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label }))}
          style={{ width: 170 }}
        />
        <label className="in-row">
          {words.howFarItMayBe}
          <span style={{ width: 110 }}>
            <LengthInput label={words.howFarItMayBe} small value={tolerance} onChange={setTolerance} />
          </span>
        </label>
      </div>
      <Input.TextArea
        aria-label={words.textOfTheDesign}
        rows={4}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <p className="faint">{words.asText}</p>
      <div className="bar">
        <Button type="primary" htmlType="submit" disabled={!text.trim() || !name.trim()} loading={add.isPending}>
          {words.lookForIt}
        </Button>
        <Button type="text" onClick={() => setOpen(false)}>
          {words.close}
        </Button>
      </div>
    </form>
  )
}

const ORDER: Word[] = ['elsewhere', 'partly', 'not_yet', 'not_seen', 'there']
const TONES: Partial<Record<Word, 'bad' | 'warn'>> = { elsewhere: 'bad', partly: 'warn' }

function One({ design: d, edit }: { design: Design; edit: boolean }) {
  const job = useJob()
  const remove = useChange(async () =>
    unwrap(
      await api.DELETE('/api/jobs/{job}/designs/{design}', {
        params: { path: { job: job.id, design: d.id }, query: { version: d.version } },
      }),
    ),
  )
  const [there = 0, elsewhere = 0, partly = 0, notYet = 0] = d.progress.at(-1)?.counts ?? []
  return (
    <section className="card" aria-label={d.name}>
      <h3>
        {d.name} <span className="faint">{words.askedBy(d.by, ago(d.at))}</span>{' '}
        {d.stale && <span className="warn">{words.outOfDate}</span>}
        {edit && (
          <span className="bar-end">
            <Confirm title={words.takeTheDesignOut(d.name)} onConfirm={() => remove.mutate(undefined)}>
              {words.takeOut}
            </Confirm>
          </span>
        )}
      </h3>
      {d.progress.length > 0 && <p>{words.thereOf(there, there + elsewhere + partly + notYet, elsewhere, notYet)}</p>}
      {d.progress.length > 1 && (
        <p className="faint">
          {d.progress.map((p) => words.builtBy(ago(p.at), p.counts[0] ?? 0, d.elements.length)).join(' · ')}
        </p>
      )}
      <Elements of={d} />
    </section>
  )
}

/** Where something stands in the way, and how far it reaches. */
const inItsWay = (c: Schema['ClashDto'], u: Units) =>
  words.clashAt(u.len(c.extent, 1), u.len(c.at[0], 1), u.len(c.at[1], 1), u.len(c.at[2], 1))

function Elements({ of }: { of: Design }) {
  const u = useUnits()
  const rank = (w: Word | undefined) => (w ? ORDER.indexOf(w) : ORDER.length)
  const rows = [...of.elements].sort((a, b) => rank(a.state?.built) - rank(b.state?.built))
  const percent = (v: number | undefined) => (v == null ? '–' : num(100 * v, 0))
  return (
    <Ledger
      label={words.designElements}
      rows={rows}
      id={(r) => `${r.name} ${r.position.join(' ')}`}
      empty={words.noDesignYet}
      tone={(r) => (r.state && (TONES[r.state.built] ?? (r.state.clash ? 'warn' : undefined))) || undefined}
      columns={[
        { head: words.element, cell: (r) => r.name },
        { head: '', cell: (r) => words.elementKinds[r.kind as keyof typeof words.elementKinds] },
        { head: words.state, cell: (r) => (r.state ? words.built[r.state.built] : '–') },
        {
          head: words.besidePlace(u.small),
          num: true,
          cell: (r) => (r.state?.distance == null ? '–' : u.within(r.state.distance, r.state.detectable)),
          value: (r) => Math.abs(r.state?.distance ?? 0) / u.smallMetres,
        },
        { head: words.seenOfIt, num: true, cell: (r) => percent(r.state?.seen), value: (r) => r.state?.seen ?? 0 },
        { head: words.ofIt, num: true, cell: (r) => percent(r.state?.shown), value: (r) => r.state?.shown ?? 0 },
        {
          head: words.inItsWay(u.code),
          cell: (r) => (r.state?.clash ? inItsWay(r.state.clash, u) : ''),
        },
        { head: words.firstThere, cell: (r) => (r.since ? ago(r.since) : '–') },
      ]}
    />
  )
}
