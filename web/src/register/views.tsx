import { Button } from 'antd'
import type { Schema } from '../api/client'
import { arc, chance, num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { toneOf } from './Ledgers'
import { register as words } from '../words'

type Result = Schema['AdjustmentResult']

/** Misclosures of loops, and targets that were joined where two ways met. */
export function Loops({ result }: { result: Result }) {
  const u = useUnits()
  const rows = [
    ...result.joins.map((j) => ({
      name: words.joinedAt(j.target),
      shift: Math.hypot(...j.gap),
      shift95: j.gap95,
      turn: null,
      turn95: null,
      p_value: j.p_value,
    })),
    ...result.loops,
  ]
  return (
    <Ledger
      label={words.loopsText}
      rows={rows}
      id={(l) => l.name}
      empty={words.noLoopsEveryScan}
      tone={(l) => (l.p_value < 0.001 ? 'bad' : undefined)}
      columns={[
        { head: words.loop, cell: (l) => l.name },
        { head: <>{words.misclosure(u.small)}</>, num: true, cell: (l) => u.err(l.shift) },
        { head: <>{words.n95OfNoise(u.small)}</>, num: true, cell: (l) => u.err(l.shift95) },
        { head: words.turn, num: true, cell: (l) => arc(l.turn) },
        { head: '95 % [″]', num: true, cell: (l) => arc(l.turn95) },
        { head: 'p', num: true, cell: (l) => chance(l.p_value) },
      ]}
    />
  )
}

/** Levels against what the targets say. */
export function Levels({ result }: { result: Result }) {
  const u = useUnits()
  return (
    <Ledger
      label={words.levels}
      rows={result.levels}
      id={(l) => l.scan}
      empty={words.noScanIsLevelled}
      tone={toneOf}
      columns={[
        { head: words.scan, cell: (l) => l.scan },
        { head: '', cell: (l) => (l.active ? '' : words.notUsed) },
        { head: words.tiltX, num: true, cell: (l) => arc(l.residual[0]) },
        { head: words.tiltY, num: true, cell: (l) => arc(l.residual[1]) },
        { head: words.stated1, num: true, cell: (l) => arc(l.sigma) },
        { head: words.minDetectableBias, num: true, cell: (l) => arc(l.detectable) },
        { head: <>{words.itsEffectSmall(u.small)}</>, num: true, cell: (l) => u.err(l.reliability) },
        { head: words.redundancy, num: true, cell: (l) => (l.active ? num(l.redundancy, 1) : '') },
        { head: 'p', num: true, cell: (l) => chance(l.p_value) },
      ]}
    />
  )
}

/** What the residuals say about the stated noise, group by group. */
export function Noise({ result, onTake }: { result: Result; onTake?: () => void }) {
  const [low = 1, high = 1] = result.variance_interval
  return (
    <>
      <p>
        {words.residualsScatterTimesAs(
          num(Math.sqrt(result.variance_estimate), 2),
          num(Math.sqrt(low), 2),
          num(Math.sqrt(high), 2),
          num(Math.sqrt(result.variance_factor), 2),
        )}
      </p>
      <Ledger
        label={words.varianceComponents}
        rows={result.components}
        id={(c) => c.group}
        empty={words.nothingIsCheckedByAnything}
        columns={[
          { head: words.observations, cell: (c) => c.group.replace('_', '-') },
          { head: words.residualsOverStatedNoise, num: true, cell: (c) => num(Math.sqrt(c.factor), 2) },
          { head: words.redundancy, num: true, cell: (c) => num(c.redundancy, 1) },
        ]}
      />
      {onTake && (
        <div className="bar">
          <Button onClick={onTake}>{words.takeThisNoiseInto}</Button>
          <span className="faint">{words.theNextRunSearches}</span>
        </div>
      )}
      <Instrument result={result} />
    </>
  )
}

/** Errors of the instrument that many sightings share, as the block solved for them. */
function Instrument({ result }: { result: Result }) {
  const u = useUnits()
  const own = result.systematic.filter((s) => !s.scan)
  const shown = (p: Schema['Parameter'], v: number) => {
    if (p === 'range_scale') return `${num(v * 1e6, 1)} ppm`
    if (['range_offset', 'board_offset', 'settling'].includes(p)) return `${u.err(v)} ${u.small}`
    return `${arc(v)}″`
  }
  // what the block says nothing of stays as uncertain as it was stated
  const seen = (s: Schema['SystematicDto']) => s.half95 < 0.9 * 1.96 * s.stated
  return (
    <>
      <p style={{ marginTop: 16 }}>{words.errorsOfTheInstrument}</p>
      <Ledger
        label={words.instrument}
        rows={own}
        id={(s) => s.parameter}
        empty={words.noneIsStatedIn}
        columns={[
          { head: words.error, cell: (s) => s.name },
          { head: words.cameOutAt, num: true, cell: (s) => (seen(s) ? shown(s.parameter, s.value) : '–') },
          { head: '± 95 %', num: true, cell: (s) => shown(s.parameter, s.half95) },
          { head: words.stated12, num: true, cell: (s) => shown(s.parameter, s.stated) },
          { head: '', cell: (s) => (seen(s) ? '' : words.notSeen) },
        ]}
      />
    </>
  )
}
