import type { Schema } from '../api/client'
import { chance, num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head, Ledger, VerdictCard } from '../parts'
import { Distance } from './Distance'
import type { Control } from './useControl'
import { georeference as words } from '../words'

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
  const walked = g.source === 'walked'
  const held = g.source === 'constrained' || walked
  const own = g.source === 'own'
  const factor =
    g.grid.combined == null
      ? [words.localGridLengthsAre]
      : [
          words.combinedFactorPointScale(
            num(g.grid.combined, 8),
            num(g.grid.point_scale, 8),
            num(g.grid.height_factor, 8),
            num((g.grid.combined - 1) * 1e6, 0),
          ),
          words.coordinatesAreHeights(
            g.grid.output === 'grid' ? words.thoseOfTheGrid : words.groundStretchedAboutThe,
            g.grid.vertical,
          ),
        ]
  const remarks = g.warnings.length ? `, with ${words.remarks(g.warnings.length)}` : ''
  const free = g.model === 'similarity' ? words.resultAFitWith : words.resultControlDoesNot
  const title = {
    constrained: words.onTheGrid(remarks),
    free: words.onTheGridThe,
    own: words.inItsOwnSystem,
    walked: words.passesOnTheGrid(remarks),
  }[g.source]
  const tested = [
    words.testControlPointsFit(g.residuals.length, g.model, chance(g.global_p), g.dof),
    held ? words.resultControlIsIn : free,
  ]
  const how = {
    constrained: tested,
    free: tested,
    own: [words.ownSystemHolds, words.ownSystemOpen],
    walked: [words.heldByMarks(g.residuals.length), words.comparedAtMarks(g.checks.length)],
  }[g.source]
  const xyz = (v: number[]) => (['E', 'N', 'H'] as const).map((a, i) => `${a} ${u.err(v[i])}`).join(', ')
  return (
    <>
      <VerdictCard
        tone={g.warnings.length || !held ? 'doubtful' : 'sound'}
        title={title}
        evidence={[
          ...how,
          ...(g.model === 'similarity' ? [words.scalePpm95On(num(g.scale, 7), num(g.scale_sigma * 1.96e6, 0))] : []),
          ...factor,
          ...(g.unmatched.length ? [words.notPairedWithA(g.unmatched.join(', '))] : []),
          ...g.warnings,
        ]}
      />
      {(g.checks.length > 0 || c.missing.length > 0) && (
        <>
          <Head aside={words.ofThemInOf(g.checks.length + c.missing.length, c.quadrants)}>
            {words.checkPointsTogether}
          </Head>
          <p>
            {words.rootMeanSquareIn(
              u.err(c.spatial),
              u.small,
              u.err(c.bound),
              u.err(c.horizontal),
              xyz(c.rmse),
              xyz(c.bias),
              xyz(c.bias95),
              chance(c.p_value),
            )}
            {c.missing.length > 0 && <span className="warn">{words.fitsNoTarget(c.missing.join(', '))}</span>}
          </p>
        </>
      )}
      {!own && !walked && <Distance result={g} control={control} onPick={onPick} />}
      {walked ? <Marks result={g} /> : <Targets {...{ result: g, picked, onPick }} />}
    </>
  )
}

/** Where passes came to lie at the points they stood on. */
function Marks({ result: g }: { result: Result }) {
  const u = useUnits()
  const rows = [...g.residuals.map((r) => ({ ...r, check: false })), ...g.checks.map((r) => ({ ...r, check: true }))]
  return (
    <>
      <Head>{words.marksOfPasses}</Head>
      <Ledger
        label={words.marksOfPasses}
        rows={rows}
        id={(r) => `${r.name} ${r.target} ${r.residual.join(' ')}`}
        empty={words.none}
        tone={(r) => (r.p_family < 0.01 ? 'bad' : undefined)}
        columns={[
          { head: words.point, cell: (r) => r.name },
          { head: words.pass, cell: (r) => r.target },
          { head: words.use, cell: (r) => (r.check ? words.heldBack : words.holds) },
          ...([words.de95(u.small), words.dn(u.small), words.dh(u.small)] as const).map((head, i) => ({
            head,
            num: true,
            cell: (r: (typeof rows)[number]) => u.within(r.residual[i], r.expected[i]),
          })),
          { head: 'p', num: true, cell: (r) => chance(r.p_value) },
        ]}
      />
    </>
  )
}

function Targets({
  result: g,
  picked,
  onPick,
}: {
  result: Result
  picked: string | null
  onPick: (name: string | null) => void
}) {
  const u = useUnits()
  const own = g.source === 'own'
  const all = [...g.residuals, ...g.checks]
  return (
    <>
      <Head>{own ? words.targetsOfTheBlock : words.targetsOnTheGrid}</Head>
      <Ledger
        label={words.targetsOnTheGrid}
        rows={g.targets}
        id={(t) => t.name}
        selected={picked}
        onSelect={onPick}
        empty={words.none}
        columns={[
          {
            head: words.target,
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
            head: <>{words.horVert95(u.small)}</>,
            num: true,
            cell: (t) => `${u.err(t.error.horizontal)} / ${u.err(t.error.vertical)}`,
          },
          {
            head: <>{words.byControl(u.small)}</>,
            num: true,
            cell: (t) => (t.difference ? u.err(Math.hypot(...t.difference)) : '–'),
          },
        ]}
      />
    </>
  )
}
