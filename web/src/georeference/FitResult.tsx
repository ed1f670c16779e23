import type { Schema } from '../api/client'
import { chance, num, plural } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head, Ledger, VerdictCard } from '../parts'
import { Distance } from './Distance'
import type { Control } from './useControl'

type Result = Schema['GeorefResult']

/** What came of the fit: test, result, factors of the grid, check points, targets. */
export function FitResult({
  result: g,
  control,
  picked,
  onPick,
}: {
  result: Result
  control: Control[]
  picked: string | null
  onPick: (name: string | null) => void
}) {
  const u = useUnits()
  const c = g.check_summary
  const held = g.source === 'constrained'
  const all = [...g.residuals, ...g.checks]
  const factor =
    g.grid.combined == null
      ? ['local grid: lengths are those on site']
      : [
          `combined factor ${num(g.grid.combined, 8)} = point scale ${num(g.grid.point_scale, 8)} × height factor ${num(g.grid.height_factor, 8)}: ${num((g.grid.combined - 1) * 1e6, 0)} ppm`,
          `coordinates are ${g.grid.output === 'grid' ? 'those of the grid' : 'ground: stretched about the local origin to distances on site'}; heights: ${g.grid.vertical}`,
        ]
  const remarks = g.warnings.length ? `, with ${plural(g.warnings.length, 'remark')}` : ''
  const free =
    g.model === 'similarity'
      ? 'result: a fit with scale is for looking at; take another model for the result'
      : 'result: control does not pass the test, so it does not bend the block'
  const xyz = (v: number[]) => (['E', 'N', 'H'] as const).map((a, i) => `${a} ${u.err(v[i])}`).join(', ')
  return (
    <>
      <VerdictCard
        tone={g.warnings.length || !held ? 'doubtful' : 'sound'}
        title={held ? `On the grid${remarks}` : 'On the grid, the block keeping its shape'}
        evidence={[
          `test: ${g.residuals.length} control points, ${g.model} fit of the free block, p ${chance(g.global_p)} with ${g.dof} degrees of freedom`,
          held ? 'result: control is in the adjustment with its weight' : free,
          ...(g.model === 'similarity'
            ? [
                `scale ${num(g.scale, 7)} ± ${num(g.scale_sigma * 1.96e6, 0)} ppm (95 %), on site after the grid’s own factor`,
              ]
            : []),
          ...factor,
          ...(g.unmatched.length ? [`not paired with a target: ${g.unmatched.join(', ')}`] : []),
          ...g.warnings,
        ]}
      />
      {(g.checks.length > 0 || c.missing.length > 0) && (
        <>
          <Head aside={`${g.checks.length + c.missing.length} of them, in ${c.quadrants} of 4 quadrants`}>
            Check points together
          </Head>
          <p>
            Root mean square {u.err(c.spatial)} {u.small} in space (at most {u.err(c.bound)} at 95 %),{' '}
            {u.err(c.horizontal)} horizontally; {xyz(c.rmse)}. Mean {xyz(c.bias)} where ± {xyz(c.bias95)} is chance. p{' '}
            {chance(c.p_value)} for all together.
            {c.missing.length > 0 && <span className="warn"> Fits no target: {c.missing.join(', ')}.</span>}
          </p>
        </>
      )}
      <Distance result={g} control={control} onPick={onPick} />
      <Head>Targets on the grid</Head>
      <Ledger
        label="Targets on the grid"
        rows={g.targets}
        id={(t) => t.name}
        selected={picked}
        onSelect={onPick}
        empty="None."
        columns={[
          {
            head: 'Target',
            cell: (t) => {
              const r = all.find((x) => x.target === t.name)
              return r && r.name !== t.name ? `${t.name} = ${r.name}` : t.name
            },
          },
          ...(['E', 'N', 'H'] as const).map((a, i) => ({
            head: `${a} [${u.code}]`,
            num: true,
            cell: (t: Schema['TargetDto']) => u.len(t.position[i], 4),
          })),
          {
            head: <>hor. / vert. 95 % [{u.small}]</>,
            num: true,
            cell: (t) => `${u.err(t.error.horizontal)} / ${u.err(t.error.vertical)}`,
          },
          {
            head: <>by control [{u.small}]</>,
            num: true,
            cell: (t) => (t.difference ? u.err(Math.hypot(...t.difference)) : '–'),
          },
        ]}
      />
    </>
  )
}
