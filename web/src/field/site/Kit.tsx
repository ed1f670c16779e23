import { useQuery } from '@tanstack/react-query'
import { Button, InputNumber, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { num, size, span } from '../../lib/format'
import { type Item, useChange, useJob, useRead } from '../../lib/hooks'
import { LengthInput } from '../../parts/LengthInput'
import { Head } from '../../parts'
import { field as words } from '../../words'
import type { Station } from './OnSite'
import { TotalStation } from './TotalStation'
import type { Journal } from './useJournal'

type Device = Schema['DeviceState']
type Command = Schema['Command']

/** The instruments on site as they are now. */
export function useKit() {
  const job = useJob()
  return useQuery({
    queryKey: ['job', job.id, 'kit'],
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/field/kit', { params: { path: { job: job.id } } })),
    refetchInterval: (q) => ((q.state.data ?? []).length ? 1000 : 15_000),
    retry: false,
  })
}

/** What the instruments say to an item of the checklist; nothing where they cannot know. */
export function reading(item: string, devices: Device[]): { done: boolean; said: string } | null {
  const scanner = devices.find((d) => d.kind === 'scanner')
  if (!scanner || scanner.state === 'off') return null
  if (item === 'level' && scanner.tilt != null)
    return { done: scanner.tilt < 0.0017, said: words.tiltIs(num((scanner.tilt * 180) / Math.PI, 3)) }
  if (item === 'warm' && scanner.warm_in != null)
    return {
      done: scanner.warm_in <= 0,
      said: scanner.warm_in <= 0 ? words.isWarm : words.warmIn(span(scanner.warm_in)),
    }
  if (item === 'battery' && scanner.batteries?.length)
    return {
      done: scanner.batteries.every((b) => b > 0.5),
      said: words.batteriesAre(scanner.batteries.map((b) => `${num(b * 100, 0)} %`).join(', ')),
    }
  if (item === 'storage' && scanner.storage_free != null)
    return { done: scanner.storage_free > 1e9, said: words.roomIs(size(scanner.storage_free)) }
  return null
}

const LIGHTS: Record<Device['state'], string> = {
  off: '○',
  starting: '◔',
  warming_up: '◑',
  ready: '●',
  measuring: '◉',
  transferring: '⇧',
  fault: '×',
}

/** Whether it knows where it stands; nothing of a device that never does. */
function tracking(d: Device): string {
  if (d.tracked == null) return ''
  return d.tracked ? words.isTracked : words.notTracked
}

/** The instruments on site: what they do, and what they can be told. */
export function Kit({
  devices,
  journal,
  edit,
  next,
}: {
  devices: Device[]
  journal: Journal
  edit: boolean
  /** The station to scan next. */
  next?: Station
}) {
  if (devices.length === 0) return null
  return (
    <details className="site-part" open>
      <summary>
        <Head aside={devices.some((d) => d.simulated) ? words.simulatedKit : ''}>{words.instruments}</Head>
      </summary>
      {devices.map((d) => (
        <OneDevice key={d.id} device={d} edit={edit} journal={journal} next={next} />
      ))}
    </details>
  )
}

const FAULTS: Record<Device['kind'], Schema['Fault']> = {
  scanner: 'power',
  receiver: 'wrong_fix',
  total_station: 'tilt',
  mobile: 'tracking',
}

function OneDevice(p: { device: Device; edit: boolean; journal: Journal; next?: Station }) {
  const { device: d, edit, journal, next } = p
  const job = useJob()
  const tell = useChange(async (told: Command | { command: Command; station: string }) =>
    unwrap(
      await api.POST('/api/jobs/{job}/field/kit/{device}', {
        params: { path: { job: job.id, device: d.id } },
        body: { id: crypto.randomUUID(), ...('command' in told ? told : { command: told }) },
      }),
    ),
  )
  const figures = [
    d.batteries?.length ? words.batteriesAre(d.batteries.map((b) => `${num(b * 100, 0)} %`).join(', ')) : '',
    d.tilt != null ? words.tiltIs(num((d.tilt * 180) / Math.PI, 3)) : '',
    d.temperature != null ? `${num(d.temperature, 1)} °C` : '',
    d.storage_free != null ? words.roomIs(size(d.storage_free)) : '',
    d.radio != null ? words.radioIs(num(d.radio * 100, 0)) : '',
    tracking(d),
    d.satellites != null && d.state !== 'off' ? words.satellitesAre(d.satellites, d.fixed ?? false) : '',
  ].filter(Boolean)
  return (
    <section className={`site-device ${d.state}`} aria-label={d.name}>
      <h3>
        <b aria-hidden="true">{LIGHTS[d.state]}</b> {d.name}
      </h3>
      <p>{d.says}</p>
      {d.progress != null && <progress value={d.progress} aria-label={words.progressOf(d.name)} />}
      <p className="faint">{figures.join(' · ')}</p>
      {(d.preview ?? []).length > 0 && <Preview device={d} />}
      {edit && (
        <div className="bar">
          {d.state === 'off' ? (
            <Button onClick={() => tell.mutate({ do: 'power_on' })}>{words.switchOn}</Button>
          ) : (
            <Button onClick={() => tell.mutate({ do: 'power_off' })}>{words.switchOff}</Button>
          )}
          {d.tilt != null && <Button onClick={() => tell.mutate({ do: 'level' })}>{words.levelIt}</Button>}
          {(d.batteries ?? []).map((b, slot) => (
            <Button key={slot} disabled={b > 0.9} onClick={() => tell.mutate({ do: 'swap_battery', slot })}>
              {words.swapBattery(slot + 1)}
            </Button>
          ))}
          {d.kind === 'scanner' && next && (
            <Button
              type="primary"
              disabled={d.state !== 'ready' && d.state !== 'warming_up'}
              onClick={() =>
                tell.mutate({ command: { do: 'scan', seconds: next.seconds, bytes: next.bytes }, station: next.id })
              }
            >
              {words.scanHere(next.name)}
            </Button>
          )}
          {d.state === 'measuring' && <Button onClick={() => tell.mutate({ do: 'stop' })}>{words.stopIt}</Button>}
          {d.kind === 'mobile' && d.state === 'ready' && (
            <BeginWalk
              tell={(walk) => tell.mutate(walk ? { command: { do: 'begin' }, station: walk } : { do: 'begin' })}
            />
          )}
          {d.simulated && (
            <Button danger onClick={() => tell.mutate({ do: 'fault', what: FAULTS[d.kind] })}>
              {words.faults[d.kind]}
            </Button>
          )}
        </div>
      )}
      {d.kind === 'total_station' && edit && d.state !== 'off' && (
        <TotalStation device={d} journal={journal} tell={(c) => tell.mutate(c)} />
      )}
      {d.kind === 'receiver' && edit && <Occupy device={d} journal={journal} tell={(c) => tell.mutate(c)} />}
    </section>
  )
}

/** A walk along a planned one, whose pass comes in by itself when it is stopped, or along none. */
function BeginWalk({ tell }: { tell: (walk: string | null) => void }) {
  const plan = useRead('/api/jobs/{job}/plan')
  const walks = (plan.data ?? []).filter((i: Item) => i.kind === 'walk')
  const [walk, setWalk] = useState<string | null>(null)
  return (
    <>
      {walks.length > 0 && (
        <Select
          aria-label={words.walkAlong}
          placeholder={words.walkAlong}
          allowClear
          value={walk}
          onChange={(id: string | undefined) => setWalk(id ?? null)}
          style={{ minWidth: 150 }}
          options={walks.map((w) => ({ value: w.id, label: w.data.name }))}
        />
      )}
      <Button type="primary" onClick={() => tell(walk)}>
        {words.beginWalk}
      </Button>
    </>
  )
}

/** What it has seen so far, from above, and where it went: enough to see that it works, and where it looked. */
function Preview({ device: d }: { device: Device }) {
  const points = d.preview ?? []
  const path = d.path ?? []
  const all = [...points, ...path.map((q) => q.slice(1))]
  const of = (a: number) => all.map((q) => q[a] ?? 0)
  const [left, right, low, high] = [Math.min(...of(0)), Math.max(...of(0)), Math.min(...of(1)), Math.max(...of(1))]
  const dot = Math.max(right - left, high - low, 1) / 240
  const dots = points.map((q) => `M${num3(q[0])} ${num3(-(q[1] ?? 0))}h0`).join('')
  return (
    <svg
      className="site-preview"
      viewBox={`${left - 1} ${-high - 1} ${right - left + 2} ${high - low + 2}`}
      role="img"
      aria-label={words.previewOf(d.name, points.length)}
    >
      <path d={dots} strokeWidth={dot * 1.6} strokeLinecap="round" />
      {path.length > 1 && (
        <path
          className="way"
          d={path.map((q, k) => `${k ? 'L' : 'M'}${num3(q[1])} ${num3(-(q[2] ?? 0))}`).join('')}
          strokeWidth={dot * 2}
        />
      )}
    </svg>
  )
}
const num3 = (v: number | undefined) => (v ?? 0).toFixed(3)

/** A receiver on a mark: occupied, kept as an entry, and taken as control with what it came out at. */
function Occupy({ device: d, journal, tell }: { device: Device; journal: Journal; tell: (c: Command) => void }) {
  const job = useJob()
  const plan = useRead('/api/jobs/{job}/plan')
  const marks = (plan.data ?? []).filter((i: Item) => i.kind === 'target')
  const [mark, setMark] = useState('')
  const [pole, setPole] = useState<number | null>(2)
  const [minutes, setMinutes] = useState<number | null>(3)
  const item = marks.find((m) => m.id === mark)
  const epochs = d.epochs ?? []
  const occupy = () => {
    const [x = 0, y = 0, z = 0] = item?.data.position ?? []
    const [e = 0, n = 0, h = 0] = job.brief.origin
    tell({ do: 'occupy', seconds: (minutes ?? 3) * 60, pole: pole ?? 0, at: [e + x, n + y, h + z] })
  }
  const keep = () =>
    void journal.note({
      kind: 'occupied',
      data: {
        id: crypto.randomUUID(),
        mark: item?.data.name ?? '',
        pole: pole ?? 0,
        epochs: epochs.map((e) => ({
          time: e[0] ?? 0,
          position: [e[1] ?? 0, e[2] ?? 0, e[3] ?? 0],
          sigma: [e[4] ?? 0, e[5] ?? 0, e[6] ?? 0],
          fixed: e[7] === 1,
        })),
      },
    })
  return (
    <>
      <div className="fields">
        <div className="field">
          <span className="label">{words.markText}</span>
          <Select
            aria-label={words.markText}
            value={mark}
            onChange={setMark}
            style={{ width: '100%' }}
            options={[{ value: '', label: words.none }, ...marks.map((m) => ({ value: m.id, label: m.data.name }))]}
          />
        </div>
        <div className="field">
          <span className="label">{words.poleHeight}</span>
          <LengthInput label={words.poleHeight} value={pole} onChange={setPole} />
        </div>
        <label className="field">
          <span className="label">{words.forMinutes}</span>
          <InputNumber
            aria-label={words.forMinutes}
            controls={false}
            suffix="min"
            value={minutes}
            onChange={setMinutes}
          />
        </label>
      </div>
      <div className="bar">
        <Button disabled={!item || d.state !== 'ready'} onClick={occupy}>
          {words.occupyIt}
        </Button>
        <Button type="primary" disabled={!item || epochs.length < 5 || d.state === 'measuring'} onClick={keep}>
          {words.keepOccupation(epochs.length)}
        </Button>
      </div>
      <Occupations journal={journal} />
    </>
  )
}

function Occupations({ journal }: { journal: Journal }) {
  const job = useJob()
  const take = useChange(async (entries: string[]) =>
    unwrap(await api.POST('/api/jobs/{job}/field/control', { params: { path: { job: job.id } }, body: { entries } })),
  )
  const done = journal.entries.filter((e) => e.stands && e.fact.kind === 'occupied')
  const by = new Map<string, typeof done>()
  for (const e of done)
    if (e.fact.kind === 'occupied') by.set(e.fact.data.mark, [...(by.get(e.fact.data.mark) ?? []), e])
  return (
    <ul className="site-occupied" aria-label={words.occupations}>
      {[...by].map(([mark, all]) => (
        <li key={mark}>
          <strong>{mark}</strong>
          {all.map((e) => (
            <p key={e.id} className={e.occupied?.position ? '' : 'warn'}>
              {e.occupied?.said ?? words.judgedWhenSent}
            </p>
          ))}
          {all.length === 1 && <p className="faint">{words.occupyTwice}</p>}
          <Button disabled={all.some((e) => e.unsent)} onClick={() => take.mutate(all.map((e) => e.id))}>
            {words.takeAsControl(all.length)}
          </Button>
        </li>
      ))}
    </ul>
  )
}
