import type { Schema } from '../../api/client'
import { num } from '../../lib/format'
import { useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Against, Head, Ledger, VerdictCard } from '../../parts'
import { plan as words } from '../../words'

type Prediction = Schema['CoverDto']['prediction']

/** The target that comes out worst, against what is asked for. */
export function Weakest({ prediction: p, limit }: { prediction: Prediction; limit: number | null | undefined }) {
  const job = useJob()
  const u = useUnits()
  const worst = Math.max(0, ...p.targets.map((t) => t.error.spatial))
  const weakest = p.targets.find((t) => t.error.spatial === worst)
  if (!weakest)
    return p.refused ? <VerdictCard tone="failed" title={words.noErrorCanBe} evidence={[p.refused]} /> : null
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
  limit: number | null | undefined
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
        tone={(t) => (limit != null && t.error.spatial > limit ? 'bad' : undefined)}
        columns={[
          { head: words.target, cell: (t) => t.name },
          { head: <>{words.hor(u.small)}</>, num: true, cell: (t) => u.err(t.error.horizontal) },
          { head: <>{words.vert(u.small)}</>, num: true, cell: (t) => u.err(t.error.vertical) },
          { head: <>3-D [{u.small}]</>, num: true, cell: (t) => u.err(t.error.spatial) },
          {
            head: words.againstTheLimit,
            cell: (t) => (limit ? <Against value={t.error.spatial} limit={limit} label={t.name} /> : null),
          },
        ]}
      />
    </>
  )
}
