import { Checkbox, Segmented } from 'antd'
import { useCallback, useState } from 'react'
import { num, size, span } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { Confirm, Ledger, VerdictCard } from '../../parts'
import { Chart, type Colours, Plot } from '../../parts/Chart'
import { register as words } from '../../words'
import { UnitAndMarks } from './UnitAndMarks'
import { Pick } from './NewPass'
import { useSending } from './passUploads'
import { PathMap } from './PathMap'
import type { Along, Pass, PassActions, Passes, Placed } from './usePasses'

/** What the brief asks of a point, metres. */
const askedOf = (of: PassActions) => {
  const r = of.job.brief.requirement
  return r.spatial95 ?? r.horizontal95 ?? r.vertical95 ?? null
}

function tone(p: Placed) {
  if (p.refused) return 'failed'
  return p.fit === false ? 'doubtful' : 'sound'
}

/** A pass: its files, where it came to lie, what it is fit for. */
export function PassCard({ pass, of, edit, all }: { pass: Pass; of: PassActions; edit: boolean; all: Passes }) {
  const u = useUnits()
  const { facts: f, placed } = pass
  return (
    <section className="card" aria-label={pass.name}>
      <h3>
        {pass.name} <span className="faint">{pass.unit}</span>
        {pass.simulated && <span className="faint"> · {words.simulated}</span>}
        {edit && ' '}
        {edit && (
          <span className="bar-end">
            <Confirm title={words.takeThePassOut(pass.name)} onConfirm={() => of.remove.mutate(pass)}>
              {words.takeOut}
            </Confirm>
          </span>
        )}
      </h3>
      <Files pass={pass} of={of} edit={edit} />
      {f && (
        <p className="faint">
          {words.whatWasRead(
            num(f.points / 1e6, 2),
            u.len(f.metres, 0),
            u.code,
            span((f.span[1] ?? 0) - (f.span[0] ?? 0)),
          )}
          {f.clock !== 0 && words.clockShifted(num(f.clock, 0))}
          {f.beside > 0 && words.besideThePath(num(f.beside, 0))}
          {(pass.ghosts ?? 0) > 0 && words.cannotBe(num(pass.ghosts ?? 0, 0))}
        </p>
      )}
      {placed && (
        <VerdictCard
          tone={tone(placed)}
          title={
            placed.refused
              ? words.noPlaceFound
              : words.itLies(u.about(placed.point95[0]), u.about(placed.point95[1]), u.small)
          }
          evidence={placed.refused ? [placed.refused] : placed.says}
        />
      )}
      {placed && !placed.refused && <Came placed={placed} asked={askedOf(of)} />}
      {edit && placed && !placed.refused && <Placement pass={pass} of={of} />}
      {edit && f && <UnitAndMarks pass={pass} of={of} units={all.units} />}
    </section>
  )
}

/** Both files: there, on their way, or still to come. */
function Files({ pass, of, edit }: { pass: Pass; of: PassActions; edit: boolean }) {
  const sending = useSending(pass.id)
  const rows = [
    {
      part: 'cloud' as const,
      label: words.cloudWithTimes,
      file: pass.cloud_file,
      accept: '.las,.laz,.e57,.ply,.xyz,.txt,.csv',
    },
    { part: 'path' as const, label: words.itsPath, file: pass.path_file, accept: '.txt,.csv,.tum,.traj,.xyz' },
  ]
  return (
    <ul className="plain">
      {rows.map(({ part, label, file, accept }) => {
        const s = sending[part]
        const lacks = !s && (!file || !pass.facts)
        return (
          <li key={part}>
            {label}:{' '}
            {s ? words.sent(num((100 * s.sent) / Math.max(s.size, 1), 0), s.name, size(s.size)) : (file ?? '–')}
            {s?.reason && <span className="warn"> {s.reason}</span>}
            {edit && (lacks || s?.reason) && (
              <Pick label={words.sendIt} accept={accept} file={null} onFile={(x) => void of.give(pass.id, part, x)} />
            )}
          </li>
        )
      })}
    </ul>
  )
}

/** The walk itself: from above, along its way, and what lay double. */
function Came({ placed, asked }: { placed: Placed; asked: number | null }) {
  const [show, setShow] = useState<'drift' | 'error'>('drift')
  return (
    <>
      <PathMap placed={placed} asked={asked} />
      <p className="empty">{words.pathMapMeans}</p>
      <Segmented
        size="small"
        aria-label={words.along}
        value={show}
        onChange={setShow}
        options={[
          { value: 'drift', label: words.drift },
          { value: 'error', label: words.error95 },
        ]}
      />
      {show === 'drift' ? <Drift along={placed.along} /> : <Errors along={placed.along} asked={asked} />}
      <Double placed={placed} />
    </>
  )
}

/** By how much the path was moved against one placement of the whole. */
function Drift({ along }: { along: Along[] }) {
  const u = useUnits()
  const most = Math.max(...along.map((a) => Math.hypot(a.moved[0] ?? 0, a.moved[1] ?? 0, a.moved[2] ?? 0)))
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const x = (a: Along) => a.walked / u.metres
      const y = (k: number) => (a: Along) => (a.moved[k] ?? 0) / u.smallMetres
      const last = along.at(-1)
      const names = [words.east, words.north, words.height]
      return {
        x: { label: words.walked(u.code), grid: true },
        y: { label: words.movedAgainstOne(u.small), grid: true },
        marginRight: 44,
        marks: [
          Plot.ruleY([0], { stroke: c.faint }),
          ...[c.accent, c.ochre, c.ink].flatMap((stroke, k) => [
            Plot.line(along, { x, y: y(k), stroke, strokeWidth: 1.6, strokeDasharray: ['', '7 4', '2 3'][k] }),
            Plot.text(last ? [last] : [], {
              x,
              y: y(k),
              text: () => names[k] ?? '',
              dx: 6,
              textAnchor: 'start',
              fill: stroke,
            }),
          ]),
        ],
      }
    },
    [along, u],
  )
  return <Chart caption={words.driftAlong} says={words.driftSays(u.about(most), u.small)} options={options} />
}

/** 95 % of its places along the way, against what is asked. */
function Errors({ along, asked }: { along: Along[]; asked: number | null }) {
  const u = useUnits()
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const x = (a: Along) => a.walked / u.metres
      const y = (k: number) => (a: Along) => (a.error95[k] ?? 0) / u.smallMetres
      return {
        x: { label: words.walked(u.code), grid: true },
        y: { label: words.error95In(u.small), grid: true, zero: true },
        marks: [
          ...(asked == null ? [] : [Plot.ruleY([asked / u.smallMetres], { stroke: c.red, strokeDasharray: '6 4' })]),
          Plot.line(along, { x, y: y(0), stroke: c.accent, strokeWidth: 1.6 }),
          Plot.line(along, { x, y: y(1), stroke: c.ink, strokeWidth: 1.6, strokeDasharray: '2 3' }),
          Plot.dot(
            along.filter((a) => a.ties === 0),
            { x, y: y(0), stroke: c.ochre, r: 3 },
          ),
        ],
      }
    },
    [along, u, asked],
  )
  const worst = Math.max(...along.flatMap((a) => a.error95))
  return <Chart caption={words.errorsAlong} says={words.errorsSay(u.about(worst), u.small)} options={options} />
}

/** Surfaces that were seen twice and lay double, and what became of them. */
function Double({ placed }: { placed: Placed }) {
  const u = useUnits()
  const [before, after] = placed.doubled
  if (!before || !after || before.worst.length === 0) return null
  return (
    <Ledger
      label={words.doubleSurfaces}
      rows={before.worst}
      id={(s) => s.at.join()}
      empty=""
      columns={[
        {
          head: words.walkedFirst(u.code),
          num: true,
          cell: (s) => u.len(s.walked[0], 0),
          value: (s) => s.walked[0] ?? 0,
        },
        {
          head: words.walkedThen(u.code),
          num: true,
          cell: (s) => u.len(s.walked[1], 0),
          value: (s) => s.walked[1] ?? 0,
        },
        {
          head: words.apartAsOne(u.small),
          num: true,
          cell: (s) => u.within(s.apart, s.error95),
          value: (s) => s.apart,
        },
        {
          head: words.afterCorrection,
          cell: (s) =>
            after.worst.some((a) => a.at.every((v, k) => Math.abs(v - (s.at[k] ?? 0)) < 1.5)) ? (
              <b className="warn">{words.stillDouble}</b>
            ) : (
              words.oneSurface
            ),
        },
      ]}
    />
  )
}

/** Along its corrected path, or as one piece: then its bend is part of its error. */
function Placement({ pass, of }: { pass: Pass; of: PassActions }) {
  return (
    <div className="bar">
      <Segmented
        aria-label={words.howItIsLaid}
        value={pass.whole ? 'whole' : 'corrected'}
        disabled={of.change.isPending}
        onChange={(v) => of.change.mutate({ pass, whole: v === 'whole' })}
        options={[
          { value: 'corrected', label: words.alongItsPath },
          { value: 'whole', label: words.asOnePiece },
        ]}
      />
      <span className="faint">{words.tieThemAgain}</span>
      <Checkbox
        checked={pass.drawn}
        disabled={of.change.isPending}
        onChange={(e) => of.change.mutate({ pass, drawn: e.target.checked })}
      >
        {words.drawFromIt}
      </Checkbox>
    </div>
  )
}
