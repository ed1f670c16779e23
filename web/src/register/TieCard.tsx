import { Button, Input } from 'antd'
import { useCallback, useState } from 'react'
import { arc, num } from '../lib/format'
import { useKey } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Grade, States } from '../parts'
import { Chart, type Colours, Plot } from '../parts/Chart'
import type { Two } from './hand/ByHand'
import { Mend } from './Mend'
import { Otherwise } from './Otherwise'
import { Slice } from './Slice'
import { type CloudTie, isLoose, type TieCardData, type Ties, useTieCard } from './useTies'
import { register as words } from '../words'

/** One tie, judged by eye: both scans in thin slices, what speaks for and against it, and what a decision changes. */
export function TieCard(p: {
  tie: CloudTie
  ties: Ties
  open: boolean
  onStep: (by: number) => void
  onClose: () => void
  onHand: (two: Two) => void
}) {
  const { tie: t, ties, open } = p
  const u = useUnits()
  const [rival, setRival] = useState(false)
  const card = useTieCard(t, rival && !!t.rival)
  useKey('n', () => p.onStep(1))
  useKey('p', () => p.onStep(-1))
  const tone = t.grade === 'not_judged' ? 'doubtful' : t.grade
  return (
    <section className={`tie card ${tone}`} aria-label={words.tieA(t.a, t.b)}>
      <h3>
        {t.a}–{t.b} <Grade value={t.grade} />
        <span className="bar-end">
          <Button size="small" onClick={() => p.onStep(-1)} title={words.previousTieP}>
            ‹
          </Button>
          <Button size="small" onClick={() => p.onStep(1)} title={words.nextTieN}>
            ›
          </Button>
          <Button size="small" type="text" onClick={p.onClose}>
            {words.close}
          </Button>
        </span>
      </h3>
      <ul>
        {t.reasons.map((r) => (
          <li key={r}>{r}</li>
        ))}
        <li>
          {isLoose(t)
            ? words.stationsApartNotHeld(u.len(t.distance, 2), u.code, arc(t.heading95))
            : words.stationsApartHeldWorst(u.len(t.distance, 2), u.code, u.err(t.weakest95), u.small, arc(t.heading95))}
        </li>
      </ul>
      {t.rival && (
        <p>
          {words.nextBestPlaceAway(
            u.len(t.rival.shift, 2),
            u.code,
            num((t.rival.turn * 180) / Math.PI, 1),
            num(Math.min(1, t.rival.share) * 100, 0),
          )}
          <button type="button" className="link" onClick={() => setRival(!rival)}>
            {rival ? words.showThePlaceChosen : words.showItInThe}
          </button>
        </p>
      )}
      <p className="legend">
        <i className="ink" /> {t.a} <i className="ochre" /> {t.b} <i className="ring" />
        {words.whereTheOtherSaw}
        {rival && <b>{words.nextBestPlace}</b>}
      </p>
      <States of={[card]} what={words.theSlices}>
        {card.data && (
          <>
            {card.data.slices.map((s) => (
              <Slice key={s.cut} data={s} a={t.a} b={t.b} />
            ))}
            <Distances of={card.data} />
            {!rival && (
              <Otherwise of={card.data.otherwise} head={card.data.otherwise.with ? words.withIt : words.withoutIt} />
            )}
          </>
        )}
      </States>
      {open && <Choices tie={t} ties={ties} onHand={p.onHand} />}
      <Mend tie={t} open={open} />
      {t.laid_by && <p className="faint">{words.laidByHandBy(t.laid_by, t.reason && `: ${t.reason}`)}</p>}
      {t.decided_by && t.decision && (
        <p className="faint">{words.byDecision(t.decision, t.decided_by, t.reason && `: ${t.reason}`)}</p>
      )}
    </section>
  )
}

/** What can be done about it. */
function Choices({ tie: t, ties, onHand }: { tie: CloudTie; ties: Ties; onHand: (two: Two) => void }) {
  const [reason, setReason] = useState('')
  const decide = (decision: 'accepted' | 'rejected' | '') => ties.decide.mutate([{ tie: t, decision, reason }])
  return (
    <div className="choices">
      <Input
        size="small"
        aria-label={words.why}
        placeholder={words.whyGoesIntoThe}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      {!t.takes_part && (
        <Button size="small" type="primary" loading={ties.decide.isPending} onClick={() => decide('accepted')}>
          {words.acceptIt}
        </Button>
      )}
      {t.decision !== 'rejected' && (
        <Button size="small" loading={ties.decide.isPending} onClick={() => decide('rejected')}>
          {words.rejectIt}
        </Button>
      )}
      {t.decision && (
        <Button size="small" type="text" onClick={() => decide('')}>
          {words.leaveItToIts}
        </Button>
      )}
      <Button size="small" onClick={() => onHand({ a: t.scan_a, b: t.scan_b })}>
        {words.layItByHand}
      </Button>
      {t.laid_by && (
        <Button size="small" loading={ties.lift.isPending} onClick={() => ties.lift.mutate(t)}>
          {words.takeBackWhatWas}
        </Button>
      )}
    </div>
  )
}

type Counted = TieCardData['distances'][number]

/** How far the two surfaces lie apart, counted. */
function Distances({ of }: { of: TieCardData }) {
  const u = useUnits()
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => ({
      height: 110,
      x: { label: words.distanceOfTheSurfaces(u.small) },
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
  return <Chart caption={words.distancesBetweenTheSurfaces} says={words.distances(total)} options={options} />
}
