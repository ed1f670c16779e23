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
import { plan as words } from '../words'

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
      if (!places.length) void message.info(words.nothingToAddStations)
    },
  )
  const take = (a: Alternative) => {
    onApply(takenUp(items, a, job.brief.instrument.step))
    onShow(null)
  }
  return (
    <>
      <Head aside={words.lockedStationsStay}>{words.proposeStations}</Head>
      {canEdit(job) && <Wish busy={!!busy || run.isPending} onPropose={(wish) => run.mutate(wish)} />}
      {canEdit(job) && items.filter((i) => i.kind === 'station').length > 1 && (
        <div className="bar">
          <Button loading={spheres.isPending} onClick={() => spheres.mutate(undefined)}>
            {words.proposeTargets}
          </Button>
          <span className="faint">{words.spheresSoThatStations}</span>
        </div>
      )}
      <p className="faint">{words.floorsWantedSurfacesAre(floors.map((f) => `${u.len(f, 2)} ${u.code}`).join(', '))}</p>
      {busy && (
        <p aria-live="polite">
          {busy.message || words.waitingForAWorker}… {num(100 * busy.progress, 0)} %
        </p>
      )}
      {!busy && failed?.state === 'failed' && <p className="warn">{failed.message}</p>}
      {p && (
        <>
          {p.stale && <p className="warn">{words.thePlanHasChanged}</p>}
          <p>{words.ofWhatIsRequired(num(100 * p.reachable, 1), p.places)}</p>
          <Proposals of={p.alternatives} shown={shown} onShow={onShow} onTake={canEdit(job) ? take : undefined} />
          {p.alternatives.some((a) => a.groups > 1) && <p className="faint">{words.groupsThatShareToo}</p>}
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
        <span className="label">{words.instrumentHeight}</span>
        <LengthInput label={words.instrumentHeight} value={height} onChange={setHeight} />
      </div>
      <div className="field">
        <span className="label">{words.coverAtLeast}</span>
        <InputNumber
          aria-label={words.coverAtLeast}
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
        <span className="label">{words.overlapAtLeast}</span>
        <InputNumber
          aria-label={words.overlapAtLeast}
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
          {words.propose}
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
    [words.stations, (a) => a.stations.length],
    [words.atLeastAllHanging, (a) => (a.groups < 2 ? a.at_least_together : '–')],
    [words.atLeastForThe, (a) => a.at_least],
    [words.coveredOnce, (a) => `${num(100 * a.once, 1)} %`],
    [words.coveredTwiceText, (a) => `${num(100 * a.twice, 1)} %`],
    [
      words.hangTogetherByOverlap,
      (a) => (a.groups < 2 ? words.yes : <b className="failed">{words.groups2(a.groups)}</b>),
    ],
    [words.step, (a) => `${num(a.step * 1e3, 2)} mrad`],
    [words.timeOnSite, (a) => span(a.time)],
    [words.points, (a) => `${num(a.points / 1e6, 0)} million`],
    [words.predictedWithThePlans, (a) => (a.predicted == null ? '–' : `${u.err(a.predicted)} ${u.small}`)],
  ]
  return (
    <table className="ledger" aria-label={words.proposals}>
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
                {p.shown?.name === a.name ? words.hide : words.show}
              </Button>{' '}
              {p.onTake && (
                <Button
                  size="small"
                  type={p.shown?.name === a.name ? 'primary' : 'default'}
                  onClick={() => p.onTake?.(a)}
                  aria-label={words.takeName(a.name)}
                >
                  {words.take}
                </Button>
              )}
            </td>
          ))}
        </tr>
      </tbody>
    </table>
  )
}
