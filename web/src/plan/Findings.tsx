import { useQuery } from '@tanstack/react-query'
import { App, Button } from 'antd'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useAsk, useJob } from '../lib/hooks'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Against, Head, Ledger, VerdictCard } from '../parts'
import type { Change, Item } from './usePlan'

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
        if (c.check.length === 0)
          void message.info('All three are needed for the fit; place a fourth target to hold one back.')
      } else void message.warning('Fewer than 3 targets are measured by two stations: place or propose targets first.')
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
          title={`${weakest.name} will come out at ${u.err(worst)} ${u.small}${limit ? ` of ${u.err(limit)} ${u.small}` : ''}`}
          evidence={[
            `3-D, 95 %, ${p.on_grid ? 'on the grid' : 'within the block'}: the weakest of ${p.targets.length} targets`,
            ...(job.brief.tie_by_clouds
              ? [
                  `Ties by clouds are counted, as even and still surfaces give them, ${u.err(0.001)} ${u.small} (1σ) between two scans of one. The registration finds and judges them; what repeats, or shares too little, it leaves out.`,
                ]
              : []),
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
                made of{' '}
                {p.budget.map((b, i) => (
                  <span key={b.name}>
                    <i className={`part${i}`} />
                    {b.name} {num(100 * b.share, 0)} %
                  </span>
                ))}{' '}
                <span className="faint">of its variance</span>
              </div>
            </div>
          )}
        </VerdictCard>
      )}
      {!weakest && p.refused && (
        <VerdictCard tone="failed" title="No error can be predicted yet" evidence={[p.refused]} />
      )}
      {advice.data && advice.data.length > 0 && (
        <>
          <Head aside="largest 3-D error, 95 %">What would help most</Head>
          <table className="ledger" aria-label="Advice">
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
                        Take
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {advice.isFetching && <p className="faint">trying single changes…</p>}
      <Head aside={cover.traps.length ? `${cover.traps.length} to look at` : ''}>What would go wrong</Head>
      {cover.traps.length === 0 && (
        <p className="empty">
          Nothing found: stations hang together, targets hold them, control is spread and checked.
        </p>
      )}
      <ul className="traps" aria-label="Traps">
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
                Spread control over the site, hold some back
              </Button>
            )}
          </li>
        ))}
      </ul>
      <Head aside={p.on_grid ? 'on the grid, 95 %' : 'within the block, 95 %'}>Predicted error</Head>
      <Ledger
        label="Predicted error"
        rows={p.targets}
        id={(t) => t.name}
        onSelect={(id) => id && onSelect(id)}
        empty="Place targets to see the error that will come out."
        tone={(t) => (limit != null && t.error.spatial > limit ? 'bad' : undefined)}
        columns={[
          { head: 'Target', cell: (t) => t.name },
          { head: <>hor. [{u.small}]</>, num: true, cell: (t) => u.err(t.error.horizontal) },
          { head: <>vert. [{u.small}]</>, num: true, cell: (t) => u.err(t.error.vertical) },
          { head: <>3-D [{u.small}]</>, num: true, cell: (t) => u.err(t.error.spatial) },
          {
            head: 'against the limit',
            cell: (t) => (limit ? <Against value={t.error.spatial} limit={limit} label={t.name} /> : null),
          },
        ]}
      />
      {loose.length > 0 && (
        <>
          <Head aside="found four times in five, at 0.1 % false alarms">A knock that nobody would notice</Head>
          <Ledger
            label="Unnoticed knocks"
            rows={loose}
            id={(k) => k.target}
            empty=""
            columns={[
              { head: 'Target', cell: (k) => k.target },
              { head: 'between', cell: (k) => `${k.before} and ${k.after}` },
              { head: <>up to [{u.small}]</>, num: true, cell: (k) => (k.size == null ? 'any' : u.err(k.size)) },
              { head: <>moves [{u.small}]</>, num: true, cell: (k) => (k.effect == null ? '–' : u.err(k.effect)) },
              { head: '', cell: (k) => (k.size == null ? `nothing else holds ${k.harms}` : k.harms) },
            ]}
          />
        </>
      )}
    </>
  )
}
