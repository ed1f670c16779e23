import { App, Button, InputNumber } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { num, span } from '../lib/format'
import { canEdit, useAsk, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { takenUp } from './drawing'
import type { Change, Item } from './usePlan'

type Alternative = Schema['AlternativeDto']

/** Stations proposed by the machine, three ways, in one table; shown on the plan before they are taken. */
export function Propose({
  items,
  free,
  shown,
  onShow,
  onApply,
}: {
  items: Item[]
  free: (kind: string, taken?: Set<string>) => string
  shown: Alternative | null
  onShow: (a: Alternative | null) => void
  onApply: (c: Change[]) => void
}) {
  const job = useJob()
  const u = useUnits()
  const { message } = App.useApp()
  const floors = [...new Set([0, ...items.filter((i) => i.kind === 'floor').map((i) => i.data.base ?? 0)])].sort(
    (a, b) => a - b,
  )
  const last = useRead('/api/jobs/{job}/plan/proposal')
  const tasks = useRead('/api/jobs/{job}/tasks')
  const busy = tasks.data?.find((t) => t.kind === 'propose' && (t.state === 'running' || t.state === 'queued'))
  const failed = tasks.data?.find((t) => t.kind === 'propose')
  const run = useChange(async (wish: WishT) =>
    unwrap(
      await api.POST('/api/jobs/{job}/plan/propose', {
        params: { path: { job: job.id } },
        body: { ...wish, floors },
      }),
    ),
  )
  const p = last.data
  const spheres = useAsk(
    async () => unwrap(await api.GET('/api/jobs/{job}/plan/targets', { params: { path: { job: job.id } } })),
    (places) => {
      const taken = new Set<string>()
      onApply(
        places.map((at): Change => {
          const name = free('target', taken)
          taken.add(`target ${name.toLowerCase()}`)
          return {
            id: crypto.randomUUID(),
            kind: 'target',
            data: { name, base: 0, top: 0, position: at, target: 'sphere' },
          }
        }),
      )
      if (!places.length)
        void message.info(
          'Nothing to add: stations that follow one another share three targets that hold them, or no free place serves them.',
        )
    },
  )
  const take = (a: Alternative) => {
    onApply(takenUp(items, a, job.brief.instrument.step))
    onShow(null)
  }
  return (
    <>
      <Head aside="locked stations stay">Propose stations</Head>
      {canEdit(job) && <Wish busy={!!busy || run.isPending} onPropose={(wish) => run.mutate(wish)} />}
      {canEdit(job) && items.filter((i) => i.kind === 'station').length > 1 && (
        <div className="bar">
          <Button loading={spheres.isPending} onClick={() => spheres.mutate(undefined)}>
            Propose targets
          </Button>
          <span className="faint">spheres so that stations which follow one another share three that hold them</span>
        </div>
      )}
      <p className="faint">
        Floors: {floors.map((f) => `${u.len(f, 2)} ${u.code}`).join(', ')}. Wanted surfaces are the walls and floors
        with a required spacing.
      </p>
      {busy && (
        <p aria-live="polite">
          {busy.message || 'waiting for a worker'}… {num(100 * busy.progress, 0)} %
        </p>
      )}
      {!busy && failed?.state === 'failed' && <p className="warn">{failed.message}</p>}
      {p && (
        <>
          {p.stale && <p className="warn">The plan has changed since; propose again for its present state.</p>}
          <p>
            {num(100 * p.reachable, 1)} % of what is required can be covered from any of {p.places} places.
          </p>
          <Proposals of={p.alternatives} shown={shown} onShow={onShow} onTake={canEdit(job) ? take : undefined} />
          {p.alternatives.some((a) => a.groups > 1) && (
            <p className="faint">
              Groups that share too little are tied by three targets that stations of both see, or by a station between
              them: in the doorway, on the landing of the stairs.
            </p>
          )}
        </>
      )}
    </>
  )
}

type WishT = Pick<Schema['ProposeRequest'], 'instrument_height' | 'share' | 'overlap'>

/** What is asked of a proposal. */
function Wish({ busy, onPropose }: { busy: boolean; onPropose: (w: WishT) => void }) {
  const [height, setHeight] = useState<number | null>(1.65)
  const [share, setShare] = useState(99)
  const [overlap, setOverlap] = useState(35)
  return (
    <form
      className="fields"
      style={{ gridTemplateColumns: 'repeat(4, 1fr)' }}
      onSubmit={(e) => {
        e.preventDefault()
        onPropose({ instrument_height: height ?? 1.65, share: share / 100, overlap: overlap / 100 })
      }}
    >
      <div className="field">
        <span className="label">Instrument height</span>
        <LengthInput label="Instrument height" value={height} onChange={setHeight} />
      </div>
      <div className="field">
        <span className="label">Cover at least</span>
        <InputNumber
          aria-label="Cover at least"
          value={share}
          min={50}
          max={100}
          suffix="%"
          controls={false}
          style={{ width: '100%' }}
          onChange={(v) => setShare(v ?? 99)}
        />
      </div>
      <div className="field">
        <span className="label">Overlap at least</span>
        <InputNumber
          aria-label="Overlap at least"
          value={overlap}
          min={30}
          max={70}
          suffix="%"
          controls={false}
          style={{ width: '100%' }}
          onChange={(v) => setOverlap(v ?? 35)}
        />
      </div>
      <div className="field" style={{ alignSelf: 'end' }}>
        <Button type="primary" htmlType="submit" loading={busy}>
          Propose
        </Button>
      </div>
    </form>
  )
}

type Line = [string, (a: Alternative) => React.ReactNode]

/** The proposals beside one another. */
function Proposals(p: {
  of: Alternative[]
  shown: Alternative | null
  onShow: (a: Alternative | null) => void
  onTake?: (a: Alternative) => void
}) {
  const u = useUnits()
  const lines: Line[] = [
    ['stations', (a) => a.stations.length],
    ['… at least, all hanging together', (a) => (a.groups < 2 ? a.at_least_together : '–')],
    ['… at least, for the cover alone', (a) => a.at_least],
    ['covered once', (a) => `${num(100 * a.once, 1)} %`],
    ['covered twice', (a) => `${num(100 * a.twice, 1)} %`],
    ['hang together by overlap', (a) => (a.groups < 2 ? 'yes' : <b className="failed">{a.groups} groups ×</b>)],
    ['step', (a) => `${num(a.step * 1e3, 2)} mrad`],
    ['time on site', (a) => span(a.time)],
    ['points', (a) => `${num(a.points / 1e6, 0)} million`],
    ['predicted with the plan’s targets', (a) => (a.predicted == null ? '–' : `${u.err(a.predicted)} ${u.small}`)],
  ]
  return (
    <table className="ledger" aria-label="Proposals">
      <thead>
        <tr>
          <th />
          {p.of.map((a) => (
            <th key={a.name} className="num">
              {a.name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {lines.map(([what, of]) => (
          <tr key={what}>
            <td>{what}</td>
            {p.of.map((a) => (
              <td key={a.name} className="num">
                {of(a)}
              </td>
            ))}
          </tr>
        ))}
        <tr>
          <td />
          {p.of.map((a) => (
            <td key={a.name} className="num">
              <Button
                size="small"
                onClick={() => p.onShow(p.shown?.name === a.name ? null : a)}
                aria-pressed={p.shown?.name === a.name}
              >
                {p.shown?.name === a.name ? 'Hide' : 'Show'}
              </Button>{' '}
              {p.onTake && (
                <Button
                  size="small"
                  type={p.shown?.name === a.name ? 'primary' : 'default'}
                  onClick={() => p.onTake?.(a)}
                  aria-label={`Take ${a.name}`}
                >
                  Take
                </Button>
              )}
            </td>
          ))}
        </tr>
      </tbody>
    </table>
  )
}
