import { Button, Input } from 'antd'
import { useCallback, useState } from 'react'
import { arc, num } from '../lib/format'
import { useKey } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Grade, States } from '../parts'
import { Chart, type Colours, Plot } from '../parts/Chart'
import { Slice } from './Slice'
import { type CloudTie, type TieCardData, type Ties, useTieCard } from './useTies'

/** One tie, judged by eye: both scans in thin slices, what speaks for and against it, and what a decision changes. */
export function TieCard(p: {
  tie: CloudTie
  ties: Ties
  open: boolean
  onStep: (by: number) => void
  onClose: () => void
}) {
  const { tie: t, ties, open } = p
  const u = useUnits()
  const [rival, setRival] = useState(false)
  const [reason, setReason] = useState('')
  const card = useTieCard(t, rival && !!t.rival)
  useKey('n', () => p.onStep(1))
  useKey('p', () => p.onStep(-1))
  const decide = (decision: 'accepted' | 'rejected' | '') => ties.decide.mutate([{ tie: t, decision, reason }])
  const tone = t.grade === 'not_judged' ? 'doubtful' : t.grade
  return (
    <section className={`card tie ${tone}`} aria-label={`Tie ${t.a}–${t.b}`}>
      <h3>
        {t.a}–{t.b} <Grade value={t.grade} />
        <span className="bar-end">
          <Button size="small" onClick={() => p.onStep(-1)} title="previous tie (P)">
            ‹
          </Button>
          <Button size="small" onClick={() => p.onStep(1)} title="next tie (N)">
            ›
          </Button>
          <Button size="small" type="text" onClick={p.onClose}>
            Close
          </Button>
        </span>
      </h3>
      <ul>
        {t.reasons.map((r) => (
          <li key={r}>{r}</li>
        ))}
        <li>
          stations {u.len(t.distance, 2)} {u.code} apart; held worst to {u.err(t.weakest95)} {u.small}, heading to{' '}
          {arc(t.heading95)}″ at 95 %
        </li>
      </ul>
      {t.rival && (
        <p>
          Next best place: {u.len(t.rival.shift, 2)} {u.code} away, {num((t.rival.turn * 180) / Math.PI, 1)}° turned,{' '}
          {num(Math.min(1, t.rival.share) * 100, 0)} % as good.{' '}
          <button type="button" className="link" onClick={() => setRival(!rival)}>
            {rival ? 'show the place chosen' : 'show it in the slices'}
          </button>
        </p>
      )}
      <p className="legend">
        <i className="ink" /> {t.a} <i className="ochre" /> {t.b} <i className="ring" /> where the other saw through
        {rival && <b> – next best place</b>}
      </p>
      <States of={[card]} what="The slices">
        {card.data && (
          <>
            {card.data.slices.map((s) => (
              <Slice key={s.cut} data={s} a={t.a} b={t.b} />
            ))}
            <Distances of={card.data} />
            {!rival && <Otherwise of={card.data} />}
          </>
        )}
      </States>
      {open && (
        <div className="choices">
          <Input
            size="small"
            aria-label="Why"
            placeholder="why (goes into the log)"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          {!t.takes_part && (
            <Button size="small" type="primary" loading={ties.decide.isPending} onClick={() => decide('accepted')}>
              Accept it
            </Button>
          )}
          {t.decision !== 'rejected' && (
            <Button size="small" loading={ties.decide.isPending} onClick={() => decide('rejected')}>
              Reject it
            </Button>
          )}
          {t.decision && (
            <Button size="small" type="text" onClick={() => decide('')}>
              Leave it to its grade
            </Button>
          )}
        </div>
      )}
      {t.decided_by && t.decision && (
        <p className="faint">
          {t.decision} by {t.decided_by}
          {t.reason && `: ${t.reason}`}
        </p>
      )}
    </section>
  )
}

type Counted = TieCardData['distances'][number]

/** How far the two surfaces lie apart, counted. */
function Distances({ of }: { of: TieCardData }) {
  const u = useUnits()
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => ({
      height: 110,
      x: { label: `distance of the surfaces [${u.small}]` },
      y: { axis: null },
      marks: [
        Plot.rectY(of.distances, {
          x1: (d: Counted) => d.from / u.smallMetres,
          x2: (d: Counted) => (d.from + 0.001) / u.smallMetres,
          y: 'count',
          fill: c.accent,
          fillOpacity: 0.5,
        }),
        Plot.ruleX([0], { stroke: c.ink }),
      ],
    }),
    [of, u],
  )
  const total = of.distances.reduce((s, d) => s + d.count, 0)
  return <Chart caption="Distances between the surfaces of the two" says={`${total} distances.`} options={options} />
}

/** What the other decision would change, said before it is taken. */
function Otherwise({ of: { otherwise: o } }: { of: TieCardData }) {
  const u = useUnits()
  const head = o.with ? 'With it' : 'Without it'
  const lost = o.unplaced_then.filter((s) => !o.unplaced.includes(s))
  const won = o.unplaced.filter((s) => !o.unplaced_then.includes(s))
  if (o.refused) return <p className="warn">{`${head}: ${o.refused}`}</p>
  return (
    <p className={lost.length ? 'warn' : undefined}>
      {head}: weakest station, 3-D 95 %: {o.now ? `${u.err(o.now.spatial)} ${u.small} (${o.now.station})` : 'none'} →{' '}
      {o.then ? `${u.err(o.then.spatial)} ${u.small} (${o.then.station})` : 'none'}
      {lost.length > 0 && `; ${lost.join(', ')} would have no place`}
      {won.length > 0 && `; ${won.join(', ')} would find a place`}.
    </p>
  )
}
