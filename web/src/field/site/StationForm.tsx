import { Button, Checkbox, Input, Segmented, Select } from 'antd'
import { useState } from 'react'
import type { Schema } from '../../api/client'
import { size, span } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { LengthInput } from '../../parts/LengthInput'
import { field as words } from '../../words'
import { SetUp } from '../SetUp'
import { heads } from './journal'
import { byName } from './NextCard'
import type { Station } from './OnSite'
import { cost, steps } from './settings'
import type { Journal } from './useJournal'

type Visit = Schema['VisitDto']
type State = Schema['TargetState']
const STATES: State[] = ['stands', 'moved', 'knocked', 'missing']
const KEY = (s: Station) => `vistazo-visit ${s.id}`

/** As the plan has it, so that one tap is enough where all is as planned. */
function planned(s: Station): Visit {
  return {
    station: s.id,
    started: new Date().toISOString(),
    ended: null,
    height: null,
    mark: s.over ?? '',
    // what was sighted is entered: a direction of the plan is none that was read
    sights: [],
    targets: byName(s.sees).map((name) => ({ name, state: 'stands' as const })),
    settings: { step: s.step, repeats: s.repeats, photographs: s.photographs, exposures: false, against_moving: false },
    operator_at: '',
    in_view: '',
    note: '',
  }
}

/** What was typed and not kept yet survives a restart of the page. */
function useVisit(s: Station, stands: Visit | undefined) {
  const [value, setValue] = useState<Visit>(() => {
    const typed = localStorage.getItem(KEY(s))
    return typed ? (JSON.parse(typed) as Visit) : (stands ?? planned(s))
  })
  const set = (part: Partial<Visit>) => {
    const next = { ...value, ...part }
    localStorage.setItem(KEY(s), JSON.stringify(next))
    setValue(next)
  }
  return [value, set, () => localStorage.removeItem(KEY(s))] as const
}

/** The log of one station: everything is there as planned, and changed where it was otherwise. */
export function StationForm({
  station: s,
  journal,
  onClose,
}: {
  station: Station
  journal: Journal
  onClose: () => void
}) {
  const mine = heads(journal.entries, `station ${s.id}`)
  const last = mine.at(-1)
  const [v, set, forget] = useVisit(s, last?.fact.kind === 'visit' ? last.fact.data : undefined)
  const tape = v.height ?? { read: 0, slope: false, radius: 0, below: 0 }
  const save = async () => {
    const kept = await journal.note({ kind: 'visit', data: { ...v, ended: v.ended ?? new Date().toISOString() } })
    if (!kept) return
    forget()
    onClose()
  }
  return (
    <form
      className="site-form"
      aria-label={words.noteStation(s.name)}
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <Head aside={`${words.scanTakes(span(s.seconds))}, ${size(s.bytes)}`}>{words.atStation(s.name)}</Head>
      {mine
        .flatMap((e) => e.remarks)
        .map((r) => (
          <p className="warn" key={r}>
            {r}
          </p>
        ))}
      <Height tape={v.height ?? null} onChange={(height) => set({ height })} />
      <SetUp
        value={{ mark: v.mark, height: tape.read, sights: v.sights }}
        height={tape.read}
        derived
        onChange={(x) => set({ mark: x.mark ?? '', sights: x.sights ?? [] })}
      />
      {s.sights.length > 0 && <p>{words.sightByPlan(s.sights.join(', '))}</p>}
      <Found targets={v.targets ?? []} onChange={(targets) => set({ targets })} />
      <Settings station={s} value={v.settings ?? {}} onChange={(settings) => set({ settings })} />
      <div className="fields">
        {(['operator_at', 'in_view', 'note'] as const).map((k) => (
          <label className="field" key={k}>
            <span className="label">{words.noted3[k]}</span>
            <Input aria-label={words.noted3[k]} value={v[k]} onChange={(e) => set({ [k]: e.target.value })} />
          </label>
        ))}
      </div>
      <div className="bar">
        <Button
          size="large"
          danger
          onClick={() =>
            void journal
              .note({ kind: 'power_lost', data: { id: crypto.randomUUID(), after: s.id, note: '' } })
              .then((kept) => kept && onClose())
          }
        >
          {words.powerWasLost}
        </Button>
      </div>
      <div className="site-save">
        <Button type="primary" size="large" htmlType="submit">
          {last ? words.correctEntry : words.tripodFolded}
        </Button>
        <Button size="large" onClick={onClose}>
          {words.back}
        </Button>
      </div>
    </form>
  )
}

type Tape = Schema['TapeDto']

/** The height of the instrument as the tape shows it: upright, or along a slope to its rim. */
function Height({ tape, onChange }: { tape: Tape | null; onChange: (t: Tape | null) => void }) {
  const now = tape ?? { read: 0, slope: false, radius: 0, below: 0 }
  return (
    <div className="fields">
      <div className="field">
        <span className="label">{words.tapeReads}</span>
        <LengthInput
          label={words.tapeReads}
          value={tape?.read}
          onChange={(read) => onChange(read == null ? null : { ...now, read })}
        />
      </div>
      <div className="field">
        <span className="label">{words.measured}</span>
        <Segmented
          aria-label={words.measured}
          value={now.slope ? 'slope' : 'upright'}
          onChange={(how) => onChange({ ...now, slope: how === 'slope', radius: now.radius || 0.16 })}
          options={[
            { value: 'upright', label: words.upright },
            { value: 'slope', label: words.slope },
          ]}
        />
      </div>
      {now.slope && (
        <>
          <div className="field">
            <span className="label">{words.rimFromAxis}</span>
            <LengthInput
              label={words.rimFromAxis}
              value={now.radius}
              onChange={(radius) => onChange({ ...now, radius: radius ?? 0 })}
            />
          </div>
          <div className="field">
            <span className="label">{words.rimBelowAxis}</span>
            <LengthInput
              label={words.rimBelowAxis}
              value={now.below}
              onChange={(below) => onChange({ ...now, below: below ?? 0 })}
            />
          </div>
        </>
      )}
    </div>
  )
}

type Target = Schema['TargetFoundDto']

/** How the targets were found that the station is to see. */
function Found({ targets, onChange }: { targets: Target[]; onChange: (t: Target[]) => void }) {
  return (
    <>
      {targets.length > 0 && <Head aside={words.whatStands}>{words.targets}</Head>}
      {targets.map((t) => (
        <div className="site-target" key={t.name}>
          <strong>{t.name}</strong>
          <Segmented
            aria-label={words.stateOf(t.name)}
            value={t.state}
            onChange={(state) => onChange(targets.map((x) => (x.name === t.name ? { ...x, state } : x)))}
            options={STATES.map((value) => ({ value, label: words.states[value] }))}
          />
        </div>
      ))}
    </>
  )
}

type Settings = Schema['ScanSettingsDto']

/** How the scan was set, and what that costs. */
function Settings(p: { station: Station; value: Settings; onChange: (s: Settings) => void }) {
  const { station: s, value, onChange } = p
  const u = useUnits()
  const now = cost(s, value)
  const byPlan = cost(s, planned(s).settings ?? {})
  const more = now.seconds - byPlan.seconds
  const every = words.pointEvery(u.len(10, 0), u.code)
  return (
    <>
      <Head aside={`${span(now.seconds)}, ${size(now.bytes)}`}>{words.settings}</Head>
      <div className="fields">
        <div className="field">
          <span className="label">{every}</span>
          <Select
            aria-label={every}
            value={value.step ?? s.step}
            onChange={(step) => onChange({ ...value, step })}
            options={steps(s.step, value.step).map((step) => ({
              value: step,
              label: `${u.err(step * 10)} ${u.small}${step === s.step ? ` (${words.asPlanned})` : ''}`,
            }))}
          />
        </div>
        <div className="field">
          <span className="label">{words.repeats}</span>
          <Select
            aria-label={words.repeats}
            value={value.repeats ?? s.repeats}
            onChange={(repeats) => onChange({ ...value, repeats })}
            options={[...new Set([1, 2, 4, 8, s.repeats])].sort((a, b) => a - b).map((n) => ({ value: n, label: n }))}
          />
        </div>
      </div>
      <div className="bar">
        <Checkbox checked={value.photographs} onChange={(e) => onChange({ ...value, photographs: e.target.checked })}>
          {words.photographs}
        </Checkbox>
        <Checkbox checked={value.exposures} onChange={(e) => onChange({ ...value, exposures: e.target.checked })}>
          {words.exposures}
        </Checkbox>
        <Checkbox
          checked={value.against_moving}
          onChange={(e) => onChange({ ...value, against_moving: e.target.checked })}
        >
          {words.againstMoving}
        </Checkbox>
      </div>
      {Math.abs(more) > 20 && <p className="faint">{words.thanPlanned(span(Math.abs(more)), more > 0)}</p>}
    </>
  )
}
