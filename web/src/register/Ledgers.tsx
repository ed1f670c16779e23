import type { Schema } from '../api/client'
import { arc, chance, num } from '../lib/format'
import type { Scan } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Grade, Ledger, Term } from '../parts'
import type { Registration, Result } from './useRegistration'

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
      label="Ties"
      rows={ties.filter((t) => !picked || t.a === picked || t.b === picked || t.shared.includes(picked))}
      id={(t) => `${t.a}–${t.b}`}
      empty="No ties."
      columns={[
        { head: 'Tie', cell: (t) => `${t.a}–${t.b}` },
        { head: 'Grade', cell: (t) => <Grade value={t.grade} />, value: (t) => ORDER[t.grade] },
        { head: 'shared', num: true, cell: (t) => t.shared.length },
        { head: <>rms [{u.small}]</>, num: true, cell: (t) => u.err(t.rms) },
        { head: <>worst [{u.small}]</>, num: true, cell: (t) => u.err(t.worst) },
        {
          head: <>spread [{u.code}]</>,
          num: true,
          value: (t) => t.spread,
          cell: (t) => `${u.len(t.spread, 0)} × ${u.len(t.breadth, 1)}`,
        },
        { head: 'Reason', width: 150, cell: (t) => t.reasons.join('; ') },
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
      label="Observations"
      rows={rows}
      id={(o) => o.detection ?? `${o.kind} ${o.scan} ${o.target}`}
      empty="None."
      tone={toneOf}
      columns={[
        {
          head: 'Target',
          value: (o) => o.target,
          cell: (o) => (
            <button type="button" className="link" onClick={() => p.onPick(o.target)}>
              {o.target}
            </button>
          ),
        },
        { head: 'Scan', cell: (o) => o.scan },
        { head: 'Kind', cell: (o) => o.kind },
        { head: <>range [{u.code}]</>, num: true, cell: (o) => u.len(o.range, 1), value: (o) => o.range / u.metres },
        ...(['x', 'y', 'z'] as const).map((axis, i) => ({
          head: `d${axis} [${u.small}]`,
          num: true,
          cell: (o: Schema['ObservationDto']) => u.err(o.residual[i]),
        })),
        {
          head: <>residual [{u.small}]</>,
          num: true,
          cell: (o) => u.err(o.length),
          value: (o) => o.length / u.smallMetres,
        },
        {
          head: <>expected 95 % [{u.small}]</>,
          num: true,
          cell: (o) => u.err(o.expected),
          value: (o) => o.expected / u.smallMetres,
        },
        {
          head: (
            <>
              <Term of="minimal detectable bias">min. det. bias</Term> [{u.small}]
            </>
          ),
          num: true,
          cell: (o) => u.err(o.detectable),
        },
        {
          head: (
            <>
              <Term of="external reliability">its effect</Term> [{u.small}]
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
                {o.active ? 'leave out' : 'restore'}
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
          {single.length} more {one ? 'is' : 'are'} seen by one scan alone and named by nothing (
          {single.map((c) => c.name).join(', ')}): {one ? 'it ties' : 'they tie'} nothing and{' '}
          {one ? 'decides' : 'decide'} nothing.
        </p>
      )}
      <Ledger
        label="Targets"
        rows={p.result.targets}
        id={(t) => t.name}
        selected={p.picked}
        onSelect={p.onPick}
        empty="None."
        columns={[
          { head: 'Target', cell: (t) => t.name },
          { head: 'Kind', cell: (t) => t.kind },
          { head: 'scans', num: true, cell: (t) => t.scans },
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
      label="Stations"
      rows={p.result.stations}
      id={(s) => s.name}
      selected={p.picked}
      onSelect={p.onPick}
      empty="None."
      columns={[
        { head: 'Station', cell: (s) => s.name },
        { head: 'targets', num: true, cell: (s) => s.targets },
        ...(['x', 'y', 'z'] as const).map((axis, i) => ({
          head: `${axis} [${u.code}]`,
          num: true,
          cell: (s: Schema['StationDto']) => u.len(s.pose.translation[i]),
        })),
        { head: <>3-D 95 % [{u.small}]</>, num: true, cell: (s) => u.err(s.error.spatial) },
        { head: 'heading 95 % [″]', num: true, cell: (s) => arc(s.heading95) },
      ]}
    />
  )
}

const SIZES: Record<string, string> = {
  agrees: 'agrees',
  diameter_radius_mix_up: 'half or double',
  wrong_size: 'another size',
}

/** What was found in the scans, before any matching: the fit of each sphere and checkerboard. */
export function Found({ detections, scans }: { detections: Schema['DetectionDto'][]; scans: Scan[] }) {
  const u = useUnits()
  const names = new Map(scans.map((s) => [s.id, s.name]))
  const sigma = (d: Schema['DetectionDto']) =>
    Math.sqrt((d.data.covariance[0] ?? 0) + (d.data.covariance[4] ?? 0) + (d.data.covariance[8] ?? 0))
  return (
    <Ledger
      label="Found"
      rows={detections}
      id={(d) => d.id}
      empty="Nothing was found."
      tone={(d) => toneOf({ active: !d.excluded, suspect: !d.usable })}
      columns={[
        { head: 'Scan', cell: (d) => names.get(d.scan) ?? '' },
        { head: 'Kind', cell: (d) => d.kind },
        { head: <>range [{u.code}]</>, num: true, cell: (d) => u.len(d.data.range, 1) },
        { head: 'hits', num: true, cell: (d) => d.data.hits },
        { head: <>centre 1σ [{u.small}]</>, num: true, cell: (d) => u.err(sigma(d)) },
        { head: <>rms [{u.small}]</>, num: true, cell: (d) => u.err(d.data.rms) },
        {
          head: <>diameter ± 1σ [{u.small}]</>,
          num: true,
          cell: (d) =>
            d.data.free_radius
              ? `${u.err(2 * (d.data.free_radius[0] ?? 0))} ± ${u.err(2 * (d.data.free_radius[1] ?? 0))}`
              : '–',
        },
        { head: 'size', cell: (d) => (d.kind === 'sphere' ? SIZES[d.data.size] : '') },
      ]}
    />
  )
}
