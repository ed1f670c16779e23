import type { Schema } from '../../api/client'
import { num } from '../../lib/format'
import { useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Against, Head, Ledger, VerdictCard } from '../../parts'
import { plan as words } from '../../words'

type Prediction = Schema['CoverDto']['prediction']

/** What the error in space may be at a place, metres. */
type Limit = (at: readonly number[]) => number | null

/** The target that comes out worst, against what is asked for there. */
export function Weakest({ prediction: p, limit: at }: { prediction: Prediction; limit: Limit }) {
  const job = useJob()
  const u = useUnits()
  // each by the limit of where it is
  const share = (t: (typeof p.targets)[number]) => t.error.spatial / (at(t.position) ?? 1)
  const weakest = p.targets.reduce<(typeof p.targets)[number] | undefined>(
    (w, t) => (w && share(w) >= share(t) ? w : t),
    undefined,
  )
  if (!weakest)
    return p.refused ? <VerdictCard tone="failed" title={words.noErrorCanBe} evidence={[p.refused]} /> : null
  const [worst, limit] = [weakest.error.spatial, at(weakest.position)]
  const judged = limit != null && worst > limit ? 'failed' : 'sound'
  return (
    <VerdictCard
      tone={p.refused ? 'doubtful' : judged}
      title={words.willComeOutAt(weakest.name, u.err(worst), u.small, limit ? words.of2(u.err(limit), u.small) : '')}
      evidence={[
        words.n3D95The(p.on_grid ? words.onTheGrid : words.withinTheBlock, p.targets.length),
        ...(job.brief.tie_by_clouds ? [words.tiesByCloudsAre(u.err(0.001), u.small)] : []),
      ]}
      meaning={p.refused ?? undefined}
    >
      <Budget parts={p.budget} />
    </VerdictCard>
  )
}

/** What the error is made of, as shares of its variance. */
function Budget({ parts }: { parts: Prediction['budget'] }) {
  if (parts.length === 0) return null
  return (
    <div className="shares" role="img" aria-label={parts.map((b) => `${b.name} ${num(100 * b.share, 0)} %`).join(', ')}>
      <div className="parts">
        {parts.map((b, i) => (
          <i key={b.name} className={`part${i}`} style={{ flexGrow: b.share }} />
        ))}
      </div>
      <div className="legend">
        {words.madeOf}
        {parts.map((b, i) => (
          <span key={b.name}>
            <i className={`part${i}`} />
            {b.name} {num(100 * b.share, 0)} %
          </span>
        ))}{' '}
        <span className="faint">{words.ofItsVariance}</span>
      </div>
    </div>
  )
}

/** The predicted error of every target. */
export function Errors({
  prediction: p,
  limit,
  onSelect,
}: {
  prediction: Prediction
  limit: Limit
  onSelect: (name: string) => void
}) {
  const u = useUnits()
  return (
    <>
      <Head aside={p.on_grid ? words.onTheGrid95 : words.withinTheBlock95}>{words.predictedError}</Head>
      <Ledger
        label={words.predictedError}
        rows={p.targets}
        id={(t) => t.name}
        onSelect={(id) => id && onSelect(id)}
        empty={words.placeTargetsToSee}
        tone={(t) => (t.error.spatial > (limit(t.position) ?? Infinity) ? 'bad' : undefined)}
        columns={[
          { head: words.target, cell: (t) => t.name },
          { head: <>{words.hor(u.small)}</>, num: true, cell: (t) => u.err(t.error.horizontal) },
          { head: <>{words.vert(u.small)}</>, num: true, cell: (t) => u.err(t.error.vertical) },
          { head: <>3-D [{u.small}]</>, num: true, cell: (t) => u.err(t.error.spatial) },
          {
            head: words.againstTheLimit,
            cell: (t) => {
              const own = limit(t.position)
              return own ? <Against value={t.error.spatial} limit={own} label={t.name} /> : null
            },
          },
        ]}
      />
    </>
  )
}
