import { Button, Checkbox, Input, InputNumber, Select } from 'antd'
import { useState } from 'react'
import type { Schema } from '../../api/client'
import { num } from '../../lib/format'
import { type Item, useJob, useRead } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { LengthInput } from '../../parts/LengthInput'
import { field as words } from '../../words'
import type { Journal } from './useJournal'

type Device = Schema['DeviceState']
type Shot = Schema['ShotDto']
const FREE = ''
const DISC = { half: 0.08, spacing: 0.004 }

/** A total station on site: put up over a mark or freely, aimed at known marks and new points, kept as one set-up. */
export function TotalStation({
  device: d,
  journal,
  tell,
}: {
  device: Device
  journal: Journal
  tell: (c: Schema['Command']) => void
}) {
  const job = useJob()
  const plan = useRead('/api/jobs/{job}/plan')
  const marks = (plan.data ?? []).filter((i: Item) => i.kind === 'target')
  const [over, setOver] = useState(FREE)
  const [height, setHeight] = useState<number | null>(1.6)
  const [fresh, setFresh] = useState<string[]>([])
  const shots = d.shots ?? []
  const ready = d.state === 'ready'
  const grid = (i: Item | undefined): [number, number, number] => {
    const [e = 0, n = 0, h = 0] = job.brief.origin
    const [x = 0, y = 0, z = 0] = i?.data.position ?? []
    return [e + x, n + y, h + z]
  }
  const stand = () => {
    const [e, n, h] = grid(marks.find((m) => m.id === over) ?? marks[0])
    // a stand-in that stands freely is put some metres beside the first mark, as a tripod would be
    tell({ do: 'set_up', at: over === FREE ? [e + 4.2, n - 3.1, h + (height ?? 0)] : [e, n, h + (height ?? 0)] })
  }
  const keep = () =>
    void journal.note({
      kind: 'shots',
      data: {
        id: crypto.randomUUID(),
        over: over === FREE ? null : { mark: marks.find((m) => m.id === over)?.data.name ?? '', height: height ?? 0 },
        shots: shots.map((s): Shot => ({
          name: s.name,
          height: s.height,
          direction: s.direction,
          zenith: s.zenith,
          distance: s.distance,
          new: fresh.includes(s.name),
          window: s.window ?? [],
        })),
      },
    })
  const options = marks.map((m) => ({ value: m.id, label: m.data.name }))
  return (
    <>
      <div className="fields">
        <div className="field">
          <span className="label">{words.standsOver}</span>
          <Select
            aria-label={words.standsOver}
            value={over}
            onChange={setOver}
            options={[{ value: FREE, label: words.standsFreely }, ...options]}
          />
        </div>
        <div className="field">
          <span className="label">{words.axisHeight}</span>
          <LengthInput label={words.axisHeight} value={height} onChange={setHeight} />
        </div>
      </div>
      <div className="bar">
        <Button disabled={!ready} onClick={stand}>
          {words.putItUp}
        </Button>
      </div>
      <Aim marks={marks} options={options} ready={ready} grid={grid} tell={tell} />
      {shots.length > 0 && <Shots shots={shots} fresh={fresh} onFresh={setFresh} />}
      <div className="bar">
        <Button type="primary" disabled={shots.length === 0 || d.state === 'measuring'} onClick={keep}>
          {words.keepSetUp(shots.length)}
        </Button>
      </div>
    </>
  )
}

/** Aims at a point: with a reflector on it, or at a disc, by a window. */
function Aim(p: {
  marks: Item[]
  options: { value: string; label: string }[]
  ready: boolean
  grid: (i: Item | undefined) => [number, number, number]
  tell: (c: Schema['Command']) => void
}) {
  const { marks, options, ready, grid, tell } = p
  const [to, setTo] = useState('')
  const [reflector, setReflector] = useState<number | null>(1.5)
  const target = marks.find((m) => m.id === to)
  return (
    <>
      <div className="fields">
        <div className="field">
          <span className="label">{words.aimAt}</span>
          <Select
            aria-label={words.aimAt}
            value={to}
            onChange={setTo}
            options={[{ value: '', label: words.none }, ...options]}
          />
        </div>
        <div className="field">
          <span className="label">{words.reflectorOver}</span>
          <LengthInput label={words.reflectorOver} value={reflector} onChange={setReflector} />
        </div>
      </div>
      <div className="bar">
        <Button
          disabled={!ready || !target}
          onClick={() => tell({ do: 'sight', name: target?.data.name ?? '', to: grid(target), height: reflector ?? 0 })}
        >
          {words.readIt}
        </Button>
        <Button
          disabled={!ready || !target}
          onClick={() => tell({ do: 'window', name: target?.data.name ?? '', to: grid(target), ...DISC })}
        >
          {words.scanWindow}
        </Button>
      </div>
    </>
  )
}

/** What was read since it was put up. */
function Shots(p: { shots: Schema['Shot'][]; fresh: string[]; onFresh: (f: string[]) => void }) {
  const { shots, fresh, onFresh } = p
  const u = useUnits()
  return (
    <table className="ledger" aria-label={words.shots}>
      <thead>
        <tr>
          <th>{words.markText}</th>
          <th className="num">{words.circle} [°]</th>
          <th className="num">{words.zenith} [°]</th>
          <th className="num">
            {words.slopeDistance} [{u.code}]
          </th>
          <th className="num">{words.lightBack} [%]</th>
          <th>{words.newPoint}</th>
        </tr>
      </thead>
      <tbody>
        {shots.map((s) => (
          <tr key={s.number}>
            <td>
              {s.name}
              {(s.window ?? []).length > 0 && <span className="faint"> {words.windowOf(s.window!.length)}</span>}
            </td>
            <td className="num">{num((s.direction * 180) / Math.PI, 4)}</td>
            <td className="num">{num((s.zenith * 180) / Math.PI, 4)}</td>
            <td className="num">{u.len(s.distance, 4)}</td>
            <td className="num">{num(s.reflectivity * 100, 0)}</td>
            <td>
              <Checkbox
                aria-label={words.isNew(s.name)}
                checked={fresh.includes(s.name)}
                onChange={(e) => onFresh(e.target.checked ? [...fresh, s.name] : fresh.filter((x) => x !== s.name))}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

type Reads = [number | null, number | null, number | null]
/** Of a common instrument: arc seconds, millimetres, parts per million. */
const USUAL: Reads = [2, 1.5, 2]
const stated = ([arc, mm, ppm]: Reads) => ({
  angle: (((arc ?? 2) / 3600) * Math.PI) / 180,
  distance: (mm ?? 1.5) / 1e3,
  per_metre: (ppm ?? 0) / 1e6,
})

/** How well the instrument reads, as its papers say it. */
function Accuracy({ value, onChange }: { value: Reads; onChange: (r: Reads) => void }) {
  return (
    <div className="field">
      <span className="label">{words.accuracyOfIt}</span>
      <div className="bar">
        {(['″', 'mm', 'ppm'] as const).map((unit, k) => (
          <InputNumber
            key={unit}
            aria-label={`${words.accuracyOfIt}: ${unit}`}
            controls={false}
            min={0}
            suffix={unit}
            value={value[k]}
            onChange={(v) => onChange(value.map((x, i) => (i === k ? v : x)) as Reads)}
          />
        ))}
      </div>
    </div>
  )
}

/** A set-up typed in from the display of one's own instrument. */
export function TypedSetUp({ journal, onDone }: { journal: Journal; onDone: () => void }) {
  const u = useUnits()
  const [over, setOver] = useState('')
  const [height, setHeight] = useState<number | null>(null)
  const [rows, setRows] = useState<Typed[]>([{ ...EMPTY }, { ...EMPTY }])
  const [reads, setReads] = useState<Reads>(USUAL)
  const put = (k: number, part: Partial<Typed>) => setRows(rows.map((r, i) => (i === k ? { ...r, ...part } : r)))
  const full = rows.filter((r) => r.name.trim() && r.direction != null && r.zenith != null)
  const save = async () => {
    const kept = await journal.note({
      kind: 'shots',
      data: {
        id: crypto.randomUUID(),
        over: over.trim() ? { mark: over.trim(), height: height ?? 0 } : null,
        shots: full.map((r) => ({
          name: r.name.trim(),
          height: r.height ?? 0,
          direction: ((r.direction ?? 0) * Math.PI) / 180,
          zenith: ((r.zenith ?? 0) * Math.PI) / 180,
          distance: r.distance,
          new: r.new,
          window: [],
        })),
        accuracy: stated(reads),
      },
    })
    if (kept) onDone()
  }
  const angle = (k: number, what: 'direction' | 'zenith', label: string) => (
    <InputNumber
      aria-label={`${label} ${k + 1}`}
      controls={false}
      suffix="°"
      value={rows[k]?.[what] ?? null}
      onChange={(v) => put(k, { [what]: v })}
    />
  )
  return (
    <form
      className="site-form"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <div className="fields">
        <label className="field">
          <span className="label">{words.standsOverName}</span>
          <Input aria-label={words.standsOverName} value={over} onChange={(e) => setOver(e.target.value)} />
        </label>
        {over.trim() !== '' && (
          <div className="field">
            <span className="label">{words.axisHeight}</span>
            <LengthInput label={words.axisHeight} value={height} onChange={setHeight} />
          </div>
        )}
      </div>
      {rows.map((r, k) => (
        <div className="fields site-shot" key={k}>
          <Input
            aria-label={`${words.markText} ${k + 1}`}
            placeholder={words.markText}
            value={r.name}
            onChange={(e) => put(k, { name: e.target.value })}
          />
          {angle(k, 'direction', words.circle)}
          {angle(k, 'zenith', words.zenith)}
          <LengthInput
            label={`${words.slopeDistance} ${k + 1}`}
            value={r.distance}
            onChange={(distance) => put(k, { distance })}
          />
          <LengthInput
            label={`${words.reflectorOver} ${k + 1}`}
            value={r.height}
            onChange={(height) => put(k, { height })}
          />
          <Checkbox checked={r.new} onChange={(e) => put(k, { new: e.target.checked })}>
            {words.newPoint}
          </Checkbox>
        </div>
      ))}
      <p className="faint">{words.shotColumns(u.code)}</p>
      <Accuracy value={reads} onChange={setReads} />
      <div className="bar">
        <Button onClick={() => setRows([...rows, { ...EMPTY }])}>{words.oneMore}</Button>
        <Button type="primary" htmlType="submit" disabled={full.length === 0}>
          {words.keepAndJudge}
        </Button>
        <Button onClick={onDone}>{words.back}</Button>
      </div>
    </form>
  )
}

interface Typed {
  name: string
  direction: number | null
  zenith: number | null
  distance: number | null
  height: number | null
  new: boolean
}
const EMPTY: Typed = { name: '', direction: null, zenith: null, distance: null, height: null, new: false }
