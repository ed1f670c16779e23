import { useQuery } from '@tanstack/react-query'
import { App, Button } from 'antd'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useAsk, useJob } from '../lib/hooks'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Against, Head, Ledger, VerdictCard } from '../parts'
import type { Change, Item } from './usePlan'
import { plan as words } from '../words'

/** What would go wrong, what the error is made of, and the one change that helps most. */
export function Findings({
  cover,
  items,
  onSelect,
  onApply,
  free,
}: {
  cover: Schema['CoverDto']
  items: Item[]
  onSelect: (name: string) => void
  onApply: (c: Change[]) => void
  free: (kind: string) => string
}) {
  const job = useJob()
  const u = useUnits()
  const p = cover.prediction
  const limit = job.brief.requirement.spatial95
  const worst = Math.max(0, ...p.targets.map((t) => t.error.spatial))
  const weakest = p.targets.find((t) => t.error.spatial === worst)
  const advice = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/plan/advice', items.map((i) => i.version).join()],
    enabled: p.targets.length > 0,
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/plan/advice', { params: { path: { job: job.id } } })),
  })
  const { message } = App.useApp()
  const spread = useAsk(
    async () => unwrap(await api.GET('/api/jobs/{job}/plan/control', { params: { path: { job: job.id } } })),
    (c) => {
      const changes = items
        .filter((i) => i.kind === 'target' && (c.fit.includes(i.id) || c.check.includes(i.id) || i.data.control_sigma))
        .map((i): Change => {
          const [fit, check] = [c.fit.includes(i.id), c.check.includes(i.id)]
          return {
            id: i.id,
            kind: i.kind,
            data: {
              ...i.data,
              control_sigma: fit || check ? (i.data.control_sigma ?? c.sigma) : undefined,
              check,
            },
          }
        })
      if (c.fit.length >= 3) {
        onApply(changes)
        if (c.check.length === 0) void message.info(words.allThreeAreNeeded)
      } else void message.warning(words.fewerThan3Targets)
    },
  )
  const take = (a: Schema['AdviceDto']) => {
    if (a.add)
      onApply([
        {
          id: crypto.randomUUID(),
          kind: 'target',
          data: {
            name: free('target'),
            base: 0,
            top: 0,
            position: a.add,
            target: 'sphere',
          },
        },
      ])
    const item = items.find((i) => i.id === a.control)
    if (item)
      onApply([
        {
          id: item.id,
          kind: item.kind,
          data: { ...item.data, control_sigma: item.data.control_sigma ?? [0.002, 0.002], check: false },
        },
      ])
  }
  const judged = limit != null && worst > limit ? 'failed' : 'sound'
  const loose = p.knocks
    .filter((k) => k.size == null || k.size > 0.003)
    .sort((a, b) => (b.effect ?? 9) - (a.effect ?? 9))
    .slice(0, 6)
  return (
    <>
      {weakest && (
        <VerdictCard
          tone={p.refused ? 'doubtful' : judged}
          title={words.willComeOutAt(
            weakest.name,
            u.err(worst),
            u.small,
            limit ? words.of2(u.err(limit), u.small) : '',
          )}
          evidence={[
            words.n3D95The(p.on_grid ? words.onTheGrid : words.withinTheBlock, p.targets.length),
            ...(job.brief.tie_by_clouds ? [words.tiesByCloudsAre(u.err(0.001), u.small)] : []),
          ]}
          meaning={p.refused ?? undefined}
        >
          {p.budget.length > 0 && (
            <div
              className="shares"
              role="img"
              aria-label={p.budget.map((b) => `${b.name} ${num(100 * b.share, 0)} %`).join(', ')}
            >
              <div className="parts">
                {p.budget.map((b, i) => (
                  <i key={b.name} className={`part${i}`} style={{ flexGrow: b.share }} />
                ))}
              </div>
              <div className="legend">
                {words.madeOf}
                {p.budget.map((b, i) => (
                  <span key={b.name}>
                    <i className={`part${i}`} />
                    {b.name} {num(100 * b.share, 0)} %
                  </span>
                ))}{' '}
                <span className="faint">{words.ofItsVariance}</span>
              </div>
            </div>
          )}
        </VerdictCard>
      )}
      {!weakest && p.refused && <VerdictCard tone="failed" title={words.noErrorCanBe} evidence={[p.refused]} />}
      {advice.data && advice.data.length > 0 && (
        <>
          <Head aside={words.largest3DError}>{words.whatWouldHelpMost}</Head>
          <table className="ledger" aria-label={words.advice}>
            <tbody>
              {advice.data.map((a, k) => (
                <tr key={k}>
                  <td style={{ whiteSpace: 'normal' }}>{a.what}</td>
                  <td className="num">
                    {u.err(a.now)} → <b>{u.err(a.then)}</b> {u.small}
                  </td>
                  <td>
                    {canEdit(job) && (
                      <Button size="small" onClick={() => take(a)}>
                        {words.take}
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {advice.isFetching && <p className="faint">{words.tryingSingleChanges}</p>}
      <Head aside={cover.traps.length ? words.toLookAt(cover.traps.length) : ''}>{words.whatWouldGoWrong}</Head>
      {cover.traps.length === 0 && <p className="empty">{words.nothingFoundStationsHang}</p>}
      <ul className="traps" aria-label={words.traps}>
        {cover.traps.map((t, k) => (
          <li key={k} className={t.grade}>
            <b>
              {t.grade === 'failed' ? '×' : '?'} {t.title}
            </b>
            <span>
              {t.text}{' '}
              {t.about.slice(0, 6).map((n) => (
                <a
                  key={n}
                  href={`#${n}`}
                  onClick={(e) => {
                    e.preventDefault()
                    onSelect(n)
                  }}
                >
                  {n}
                </a>
              ))}
            </span>
            {t.mend === 'control' && canEdit(job) && (
              <Button size="small" loading={spread.isPending} onClick={() => spread.mutate(undefined)}>
                {words.spreadControlOverThe}
              </Button>
            )}
          </li>
        ))}
      </ul>
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
      {loose.length > 0 && (
        <>
          <Head aside={words.foundFourTimesIn}>{words.aKnockThatNobody}</Head>
          <Ledger
            label={words.unnoticedKnocks}
            rows={loose}
            id={(k) => k.target}
            empty=""
            columns={[
              { head: words.target, cell: (k) => k.target },
              { head: words.betweenPlain, cell: (k) => `${k.before} and ${k.after}` },
              {
                head: <>{words.upTo(u.small)}</>,
                num: true,
                cell: (k) => (k.size == null ? words.any : u.err(k.size)),
              },
              { head: <>{words.moves(u.small)}</>, num: true, cell: (k) => (k.effect == null ? '–' : u.err(k.effect)) },
              { head: '', cell: (k) => (k.size == null ? words.nothingElseHolds(k.harms) : k.harms) },
            ]}
          />
        </>
      )}
    </>
  )
}
