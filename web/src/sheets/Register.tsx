import { Button, Segmented } from 'antd'
import { useMemo, useState } from 'react'
import { useSearchParams } from 'react-router-dom'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import { canEdit, useChange, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Grade, Head, Ledger, VerdictCard } from '../parts'
import { chance, Levels, Loops, Noise } from '../register/views'
import { Tasks } from '../shell/Tasks'

type Adjustment = Schema['AdjustmentDto'] | null
type Decision = { ids: string[]; excluded?: boolean; part?: number }

/** Finds, matches, adjusts; shows what is doubtful and lets the registrar decide. */
export default function Register() {
  const job = useJob()
  const u = useUnits()
  const edit = canEdit(job)
  const [query, setQuery] = useSearchParams()
  const [view, setView] = useState<
    'ties' | 'loops' | 'observations' | 'levels' | 'noise' | 'targets' | 'stations' | 'found'
  >('ties')
  const pick = (name: string | null) => setQuery(name ? { target: name } : {}, { replace: true })
  const adjustment = useRead<Adjustment>('/api/jobs/{job}/adjustment')
  const detections = useRead<Schema['DetectionDto'][]>('/api/jobs/{job}/detections')
  const scans = useRead<Schema['ScanRow'][]>('/api/jobs/{job}/scans')
  const tasks = useRead<Schema['Task'][]>('/api/jobs/{job}/tasks')
  const running = tasks.data?.some((t) => t.kind === 'register' && (t.state === 'running' || t.state === 'queued'))
  const a = adjustment.data
  const r = a?.result
  // the weakest spot of a job may be a surface, which is nothing of this sheet
  const wanted = query.get('target')
  const picked = r && ![...r.targets, ...r.candidates, ...r.stations].some((x) => x.name === wanted) ? null : wanted
  const path = { params: { path: { job: job.id } } }
  const run = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/register', path)))
  const lock = useChange(async (on: boolean) =>
    unwrap(
      on
        ? await api.POST('/api/jobs/{job}/adjustment/lock', path)
        : await api.DELETE('/api/jobs/{job}/adjustment/lock', path),
    ),
  )
  const decide = useChange(async (d: Decision) => {
    const body = d.ids.flatMap((id) => {
      const now = detections.data?.find((x) => x.id === id)
      return now ? [{ id, version: now.version, excluded: d.excluded ?? now.excluded, part: d.part ?? now.part }] : []
    })
    unwrap(await api.PATCH('/api/jobs/{job}/detections', { ...path, body }))
    return unwrap(await api.POST('/api/jobs/{job}/register', path))
  })
  const keep = useChange(async (f: Schema['FindingDto']) =>
    unwrap(
      f.kept
        ? await api.POST('/api/jobs/{job}/findings/reopen', { ...path, body: { key: f.key } })
        : await api.POST('/api/jobs/{job}/findings/keep', { ...path, body: { key: f.key } }),
    ),
  )
  const take = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/adjustment/profile', path)))
  useKey('r', () => run.mutate(undefined), edit && !running && !a?.locked)
  const shown = useMemo(
    () => ({
      targets: r?.targets ?? [],
      ties: r?.ties ?? [],
    }),
    [r],
  )
  const order = { failed: 0, doubtful: 1, not_judged: 2, sound: 3 }
  const ties = [...shown.ties].sort((x, y) => order[x.grade] - order[y.grade])
  const observations = (r?.observations ?? []).filter((o) => !picked || o.target === picked || o.scan === picked)
  return (
    <div className="split">
      <div className="canvas">
        <CloudView frame={r && !r.refused ? 'block' : undefined} {...shown} selected={picked} />
      </div>
      <aside className="side">
        <Head aside={a ? `revision ${a.revision}${a.locked ? ', locked' : ''}` : ''}>Registration</Head>
        {edit && (
          <div className="bar">
            <Button
              type="primary"
              loading={running || run.isPending}
              disabled={a?.locked}
              onClick={() => run.mutate(undefined)}
            >
              {a ? 'Run again' : 'Find targets and adjust'}
            </Button>
            {a && !r?.refused && (
              <Button onClick={() => lock.mutate(!a.locked)} disabled={!a.locked && a.stale}>
                {a.locked ? 'Unlock' : 'Lock result'}
              </Button>
            )}
            {a?.stale && <span className="warn">scans or observations changed: this result is out of date</span>}
          </div>
        )}
        <Tasks kinds={['register']} ended={running ? 0 : 1} />
        {!a && !running && (
          <p className="empty">
            No result yet. Targets are found in every scan, matched by their layout, and all scans are adjusted
            together.
          </p>
        )}
        {r?.refused && (
          <>
            <VerdictCard tone="failed" title="The block could not be adjusted" evidence={[r.refused]} />
            <Found detections={detections.data ?? []} scans={scans.data ?? []} />
          </>
        )}
        {r?.findings.map((f) => (
          <VerdictCard
            key={f.key}
            tone={f.kept ? 'sound' : f.kind === 'unplaced' || f.kind === 'size' ? 'failed' : 'doubtful'}
            title={f.kept ? `Kept as it is: ${f.title}` : f.title}
            evidence={f.evidence}
            meaning={f.meaning}
          >
            {f.target && (
              <Button
                size="small"
                onClick={() => {
                  pick(f.target ?? null)
                  setView('observations')
                }}
              >
                Show {f.target}
              </Button>
            )}
            {edit && !a?.locked && (f.kind === 'moved' || f.kind === 'tripod') && (
              <>
                {f.kind === 'moved' && (
                  <Button size="small" type="primary" onClick={() => decide.mutate({ ids: f.after, part: 1 })}>
                    Treat as two targets
                  </Button>
                )}
                <Button size="small" onClick={() => decide.mutate({ ids: f.after, excluded: true })}>
                  Leave out the {f.after.length} after
                </Button>
                <Button size="small" onClick={() => decide.mutate({ ids: f.before, excluded: true })}>
                  Leave out the {f.before.length} before
                </Button>
              </>
            )}
            {edit && !a?.locked && f.kind === 'outlier' && (
              <Button size="small" type="primary" onClick={() => decide.mutate({ ids: f.after, excluded: true })}>
                Leave it out
              </Button>
            )}
            {edit && f.kind !== 'size' && f.kind !== 'unplaced' && (
              <Button size="small" type="text" onClick={() => keep.mutate(f)}>
                {f.kept ? 'Open again' : 'Keep as it is'}
              </Button>
            )}
          </VerdictCard>
        ))}
        {r && !r.refused && (
          <>
            {r.findings.length === 0 && (
              <VerdictCard
                tone="sound"
                title="Nothing speaks against this block"
                evidence={[
                  `global test p ${p(r.global_p)} with ${r.dof} degrees of freedom`,
                  `${r.stations.length} scans, ${r.targets.length} targets, ${(r.observations ?? []).filter((o) => o.active).length} observations; no outlier, no moved target and no knocked tripod at 1 % risk over all tests together`,
                ]}
              />
            )}
            {r.findings.length > 0 && (
              <p className="faint">
                Global test p {p(r.global_p)}, {r.dof} degrees of freedom; residuals{' '}
                {Math.sqrt(r.variance_estimate).toFixed(2)} times the stated noise, errors are stated accordingly
              </p>
            )}
            <div className="bar">
              <Segmented
                value={view}
                onChange={setView}
                options={['ties', 'loops', 'observations', 'levels', 'noise', 'targets', 'stations', 'found']}
              />
              {picked && (
                <Button size="small" onClick={() => pick(null)}>
                  all, not only {picked}
                </Button>
              )}
            </div>
            {view === 'ties' && (
              <Ledger
                label="Ties"
                rows={ties.filter((t) => !picked || t.a === picked || t.b === picked || t.shared.includes(picked))}
                id={(t) => `${t.a}–${t.b}`}
                empty="No ties."
                columns={[
                  { head: 'Tie', cell: (t) => `${t.a}–${t.b}` },
                  { head: 'Grade', cell: (t) => <Grade value={t.grade} /> },
                  { head: 'shared', num: true, cell: (t) => t.shared.length },
                  { head: <>rms [{u.small}]</>, num: true, cell: (t) => u.err(t.rms) },
                  { head: 'Reason', cell: (t) => t.reasons.join('; ') },
                ]}
              />
            )}
            {view === 'observations' && (
              <Ledger
                label="Observations"
                rows={observations}
                id={(o) => o.detection ?? `${o.kind} ${o.scan} ${o.target}`}
                empty="None."
                tone={(o) => (!o.active ? 'off' : o.suspect ? 'bad' : undefined)}
                columns={[
                  {
                    head: 'Target',
                    cell: (o) => (
                      <a
                        href="#t"
                        onClick={(e) => {
                          e.preventDefault()
                          pick(o.target)
                        }}
                      >
                        {o.target}
                      </a>
                    ),
                  },
                  { head: 'Scan', cell: (o) => o.scan },
                  { head: 'Kind', cell: (o) => o.kind },
                  { head: <>range [{u.code}]</>, num: true, cell: (o) => u.len(o.range, 1) },
                  { head: <>residual [{u.small}]</>, num: true, cell: (o) => u.err(o.length) },
                  { head: <>expected 95 % [{u.small}]</>, num: true, cell: (o) => u.err(o.expected) },
                  { head: <>min. det. bias [{u.small}]</>, num: true, cell: (o) => u.err(o.detectable) },
                  { head: <>its effect [{u.small}]</>, num: true, cell: (o) => u.err(o.reliability) },
                  { head: 'redundancy', num: true, cell: (o) => (o.active ? o.redundancy.toFixed(1) : '') },
                  { head: 'p', num: true, cell: (o) => chance(o.p_value) },
                  {
                    head: '',
                    cell: (o) => {
                      const id = o.detection
                      return (
                        edit &&
                        !a?.locked &&
                        id && (
                          <Button
                            size="small"
                            type="link"
                            onClick={() => decide.mutate({ ids: [id], excluded: o.active })}
                          >
                            {o.active ? 'leave out' : 'restore'}
                          </Button>
                        )
                      )
                    },
                  },
                ]}
              />
            )}
            {view === 'targets' && r.candidates.length > 0 && (
              <p className="faint">
                {r.candidates.length} more {r.candidates.length === 1 ? 'is' : 'are'} seen by one scan alone and named
                by nothing ({r.candidates.map((c) => c.name).join(', ')}):{' '}
                {r.candidates.length === 1 ? 'it ties' : 'they tie'} nothing and{' '}
                {r.candidates.length === 1 ? 'decides' : 'decide'} nothing.
              </p>
            )}
            {view === 'targets' && (
              <Ledger
                label="Targets"
                rows={r.targets}
                id={(t) => t.name}
                selected={picked}
                onSelect={pick}
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
            )}
            {view === 'loops' && <Loops result={r} />}
            {view === 'levels' && <Levels result={r} />}
            {view === 'noise' && (
              <Noise
                result={r}
                onTake={
                  edit && !a?.locked && !a?.stale && r.findings.every((f) => f.kept)
                    ? () => take.mutate(undefined)
                    : undefined
                }
              />
            )}
            {view === 'found' && <Found detections={detections.data ?? []} scans={scans.data ?? []} />}
            {view === 'stations' && (
              <Ledger
                label="Stations"
                rows={r.stations}
                id={(s) => s.name}
                selected={picked}
                onSelect={pick}
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
                  { head: 'heading 95 % [″]', num: true, cell: (s) => (s.heading95 * 206264.8).toFixed(1) },
                ]}
              />
            )}
          </>
        )}
      </aside>
    </div>
  )
}

const p = (v: number) => (v < 0.001 ? '< 0.001' : `= ${v.toFixed(3)}`)

const SIZES: Record<string, string> = {
  agrees: 'agrees',
  diameter_radius_mix_up: 'half or double',
  wrong_size: 'another size',
}

/** What was found in the scans, before any matching: the fit of each sphere and checker. */
function Found({ detections, scans }: { detections: Schema['DetectionDto'][]; scans: Schema['ScanRow'][] }) {
  const u = useUnits()
  const sigma = (d: Schema['DetectionDto']) =>
    Math.sqrt((d.data.covariance[0] ?? 0) + (d.data.covariance[4] ?? 0) + (d.data.covariance[8] ?? 0))
  return (
    <Ledger
      label="Found"
      rows={detections}
      id={(d) => d.id}
      empty="Nothing was found."
      tone={(d) => (d.excluded ? 'off' : d.usable ? undefined : 'bad')}
      columns={[
        { head: 'Scan', cell: (d) => scans.find((s) => s.id === d.scan)?.name ?? '' },
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
