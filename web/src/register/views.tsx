import { Button } from 'antd'
import type { Schema } from '../api/client'
import { arc, chance, num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { toneOf } from './Ledgers'

type Result = Schema['AdjustmentResult']

/** Misclosures of loops, and targets that were joined where two ways met. */
export function Loops({ result }: { result: Result }) {
  const u = useUnits()
  const rows = [
    ...result.joins.map((j) => ({
      name: `joined at ${j.target}`,
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
      label="Loops"
      rows={rows}
      id={(l) => l.name}
      empty="No loops: every scan hangs on one way only."
      tone={(l) => (l.p_value < 0.001 ? 'bad' : undefined)}
      columns={[
        { head: 'Loop', cell: (l) => l.name },
        { head: <>misclosure [{u.small}]</>, num: true, cell: (l) => u.err(l.shift) },
        { head: <>95 % of noise [{u.small}]</>, num: true, cell: (l) => u.err(l.shift95) },
        { head: 'turn [″]', num: true, cell: (l) => arc(l.turn) },
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
      label="Levels"
      rows={result.levels}
      id={(l) => l.scan}
      empty="No scan is levelled."
      tone={toneOf}
      columns={[
        { head: 'Scan', cell: (l) => l.scan },
        { head: '', cell: (l) => (l.active ? '' : 'not used') },
        { head: 'tilt x [″]', num: true, cell: (l) => arc(l.residual[0]) },
        { head: 'tilt y [″]', num: true, cell: (l) => arc(l.residual[1]) },
        { head: 'stated 1σ [″]', num: true, cell: (l) => arc(l.sigma) },
        { head: 'min. detectable bias [″]', num: true, cell: (l) => arc(l.detectable) },
        { head: <>its effect [{u.small}]</>, num: true, cell: (l) => u.err(l.reliability) },
        { head: 'redundancy', num: true, cell: (l) => (l.active ? num(l.redundancy, 1) : '') },
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
        Residuals scatter {num(Math.sqrt(result.variance_estimate), 2)} times as far as the stated noise (95 %:{' '}
        {num(Math.sqrt(low), 2)} to {num(Math.sqrt(high), 2)}). All errors are stated{' '}
        {num(Math.sqrt(result.variance_factor), 2)} times what the stated noise alone gives.
      </p>
      <Ledger
        label="Variance components"
        rows={result.components}
        id={(c) => c.group}
        empty="Nothing is checked by anything else."
        columns={[
          { head: 'Observations', cell: (c) => c.group.replace('_', '-') },
          { head: 'residuals over stated noise', num: true, cell: (c) => num(Math.sqrt(c.factor), 2) },
          { head: 'redundancy', num: true, cell: (c) => num(c.redundancy, 1) },
        ]}
      />
      {onTake && (
        <div className="bar">
          <Button onClick={onTake}>Take this noise into the profile</Button>
          <span className="faint">The next run searches the scans again with it.</span>
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
      <p style={{ marginTop: 16 }}>
        Errors of the instrument that its sightings share do not average out. They are solved for, with the profile as
        prior; clouds keep them.
      </p>
      <Ledger
        label="Instrument"
        rows={own}
        id={(s) => s.parameter}
        empty="None is stated in the instrument's profile."
        columns={[
          { head: 'Error', cell: (s) => s.name },
          { head: 'came out at', num: true, cell: (s) => (seen(s) ? shown(s.parameter, s.value) : '–') },
          { head: '± 95 %', num: true, cell: (s) => shown(s.parameter, s.half95) },
          { head: 'stated 1σ', num: true, cell: (s) => shown(s.parameter, s.stated) },
          { head: '', cell: (s) => (seen(s) ? '' : 'not seen') },
        ]}
      />
    </>
  )
}
