import type { Schema } from '../api/client'
import { arc, chance, num } from '../lib/format'
import type { Scan } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Grade, Ledger, Term } from '../parts'
import type { Registration, Result } from './useRegistration'
import { register as words } from '../words'

/** How a row is set: struck when left out, red when suspected. */
export function toneOf(o: { active: boolean; suspect: boolean }) {
  if (!o.active) return 'off'
  return o.suspect ? 'bad' : undefined
}

const ORDER = { failed: 0, doubtful: 1, not_judged: 2, sound: 3 }

/** Ties between scans, the worst first. */
export function Ties({ result, picked }: { result: Result; picked: string | null }) {
  const u = useUnits()
  const ties = [...result.ties].sort((x, y) => ORDER[x.grade] - ORDER[y.grade])
  return (
    <Ledger
      label={words.ties}
      rows={ties.filter((t) => !picked || t.a === picked || t.b === picked || t.shared.includes(picked))}
      id={(t) => `${t.a}–${t.b}`}
      empty={words.noTies}
      columns={[
        { head: words.tie, cell: (t) => `${t.a}–${t.b}` },
        { head: words.grade, cell: (t) => <Grade value={t.grade} />, value: (t) => ORDER[t.grade] },
        { head: words.shared, num: true, cell: (t) => t.shared.length },
        { head: <>{words.rms(u.small)}</>, num: true, cell: (t) => u.err(t.rms) },
        { head: <>{words.worst(u.small)}</>, num: true, cell: (t) => u.err(t.worst) },
        {
          head: <>{words.spread(u.code)}</>,
          num: true,
          value: (t) => t.spread,
          cell: (t) => `${u.len(t.spread, 0)} × ${u.len(t.breadth, 1)}`,
        },
        { head: words.reason, width: 150, cell: (t) => t.reasons.join('; ') },
      ]}
    />
  )
}

/** Every observation with what the others say of it. */
export function Observations(p: {
  of: Registration
  result: Result
  picked: string | null
  onPick: (target: string) => void
}) {
  const u = useUnits()
  const rows = (p.result.observations ?? []).filter((o) => !p.picked || o.target === p.picked || o.scan === p.picked)
  return (
    <Ledger
      label={words.observations}
      rows={rows}
      id={(o) => o.detection ?? `${o.kind} ${o.scan} ${o.target}`}
      empty={words.none}
      tone={toneOf}
      columns={[
        {
          head: words.target,
          value: (o) => o.target,
          cell: (o) => (
            <button type="button" className="link" onClick={() => p.onPick(o.target)}>
              {o.target}
            </button>
          ),
        },
        { head: words.scan, cell: (o) => o.scan },
        { head: words.kind, cell: (o) => o.kind },
        {
          head: <>{words.range(u.code)}</>,
          num: true,
          cell: (o) => u.len(o.range, 1),
          value: (o) => o.range / u.metres,
        },
        ...(['x', 'y', 'z'] as const).map((axis, i) => ({
          head: `d${axis} [${u.small}]`,
          num: true,
          cell: (o: Schema['ObservationDto']) => u.err(o.residual[i]),
        })),
        {
          head: <>{words.residual(u.small)}</>,
          num: true,
          cell: (o) => u.err(o.length),
          value: (o) => o.length / u.smallMetres,
        },
        {
          head: <>{words.expected95(u.small)}</>,
          num: true,
          cell: (o) => u.err(o.expected),
          value: (o) => o.expected / u.smallMetres,
        },
        {
          head: (
            <>
              <Term of="minimalDetectableBias">{words.minDetBias}</Term> [{u.small}]
            </>
          ),
          num: true,
          cell: (o) => u.err(o.detectable),
        },
        {
          head: (
            <>
              <Term of="externalReliability">{words.itsEffect}</Term> [{u.small}]
            </>
          ),
          num: true,
          cell: (o) => u.err(o.reliability),
        },
        { head: <Term of="redundancy" />, num: true, cell: (o) => (o.active ? num(o.redundancy, 1) : '') },
        { head: <Term of="p" />, num: true, cell: (o) => chance(o.p_value), value: (o) => o.p_value },
        {
          head: '',
          cell: (o) =>
            p.of.open &&
            o.detection && (
              <button
                type="button"
                className="link"
                onClick={() => p.of.decide.mutate({ ids: [o.detection!], excluded: o.active })}
              >
                {o.active ? words.leaveOut : words.restore}
              </button>
            ),
        },
      ]}
    />
  )
}

/** Targets of the block. */
export function Targets(p: { result: Result; picked: string | null; onPick: (t: string | null) => void }) {
  const u = useUnits()
  const single = p.result.candidates
  const one = single.length === 1
  return (
    <>
      {single.length > 0 && (
        <p className="faint">
          {words.moreSeenByOne(
            single.length,
            one ? words.is : words.are,
            single.map((c) => c.name).join(', '),
            one ? words.itTies : words.theyTie,
            one ? words.decides : words.decide,
          )}
        </p>
      )}
      <Ledger
        label={words.targets}
        rows={p.result.targets}
        id={(t) => t.name}
        selected={p.picked}
        onSelect={p.onPick}
        empty={words.none}
        columns={[
          { head: words.target, cell: (t) => t.name },
          { head: words.kind, cell: (t) => t.kind },
          { head: words.scans, num: true, cell: (t) => t.scans },
          ...(['x', 'y', 'z'] as const).map((axis, i) => ({
            head: `${axis} [${u.code}]`,
            num: true,
            cell: (t: Schema['TargetDto']) => u.len(t.position[i]),
          })),
          { head: <>3-D 95 % [{u.small}]</>, num: true, cell: (t) => u.err(t.error.spatial) },
        ]}
      />
    </>
  )
}

/** Stations of the block. */
export function Stations(p: { result: Result; picked: string | null; onPick: (t: string | null) => void }) {
  const u = useUnits()
  return (
    <Ledger
      label={words.stations}
      rows={p.result.stations}
      id={(s) => s.name}
      selected={p.picked}
      onSelect={p.onPick}
      empty={words.none}
      columns={[
        { head: words.station, cell: (s) => s.name },
        { head: words.targetsPlain, num: true, cell: (s) => s.targets },
        ...(['x', 'y', 'z'] as const).map((axis, i) => ({
          head: `${axis} [${u.code}]`,
          num: true,
          cell: (s: Schema['StationDto']) => u.len(s.pose.translation[i]),
        })),
        { head: <>3-D 95 % [{u.small}]</>, num: true, cell: (s) => u.err(s.error.spatial) },
        { head: words.heading95, num: true, cell: (s) => arc(s.heading95) },
      ]}
    />
  )
}

const SIZES: Record<string, string> = {
  agrees: words.agrees,
  diameter_radius_mix_up: words.halfOrDouble,
  wrong_size: words.anotherSize,
}

/** What was found in the scans, before any matching: the fit of each sphere and checkerboard. */
export function Found({ detections, scans }: { detections: Schema['DetectionDto'][]; scans: Scan[] }) {
  const u = useUnits()
  const names = new Map(scans.map((s) => [s.id, s.name]))
  const sigma = (d: Schema['DetectionDto']) =>
    Math.sqrt((d.data.covariance[0] ?? 0) + (d.data.covariance[4] ?? 0) + (d.data.covariance[8] ?? 0))
  return (
    <Ledger
      label={words.found}
      rows={detections}
      id={(d) => d.id}
      empty={words.nothingWasFound}
      tone={(d) => toneOf({ active: !d.excluded, suspect: !d.usable })}
      columns={[
        { head: words.scan, cell: (d) => names.get(d.scan) ?? '' },
        { head: words.kind, cell: (d) => d.kind },
        { head: <>{words.range(u.code)}</>, num: true, cell: (d) => u.len(d.data.range, 1) },
        { head: words.hits, num: true, cell: (d) => d.data.hits },
        { head: <>{words.centre1(u.small)}</>, num: true, cell: (d) => u.err(sigma(d)) },
        { head: <>{words.rms(u.small)}</>, num: true, cell: (d) => u.err(d.data.rms) },
        {
          head: <>{words.diameter1(u.small)}</>,
          num: true,
          cell: (d) =>
            d.data.free_radius ? u.within(2 * (d.data.free_radius[0] ?? 0), 2 * (d.data.free_radius[1] ?? 0)) : '–',
        },
        { head: words.size, cell: (d) => (d.kind === 'sphere' ? SIZES[d.data.size] : '') },
      ]}
    />
  )
}
