import { Button } from 'antd'
import { chance, num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Grade, Ledger } from '../parts'
import type { Two } from './hand/ByHand'
import { toneOf } from './Ledgers'
import { TieCard } from './TieCard'
import type { Result } from './useRegistration'
import { type CloudTie, isLoose, type Ties } from './useTies'
import { register as words } from '../words'

const ORDER = { failed: 1, doubtful: 0, not_judged: 2, sound: 3 }

/** Most doubtful first: what failed asks for nothing. */
export const inOrder = (ties: CloudTie[]) =>
  [...ties].sort((x, y) => ORDER[x.grade] - ORDER[y.grade] || y.weakest95 - x.weakest95)

const share = (v: number[]) => v.map((x) => num(100 * x, x < 0.1 ? 1 : 0)).join(' / ')

function part(t: CloudTie) {
  const by = t.laid_by ? words.byHand : ''
  if (t.decision) return t.decision + by
  return (t.takes_part ? words.used : words.leftOut) + by
}

/** Ties by clouds: what two scans show of the same surfaces, each with its evidence. */
export function CloudTies(p: {
  ties: Ties
  result: Result | undefined
  picked: string | null
  open: boolean
  chosen: string | null
  onChoose: (tie: string | null) => void
  onHand: (two: Two) => void
}) {
  const u = useUnits()
  const said = new Map((p.result?.cloud_ties ?? []).map((r) => [r.tie, r]))
  const rows = inOrder(p.ties.ties).filter((t) => !p.picked || t.a === p.picked || t.b === p.picked)
  const at = rows.findIndex((t) => t.id === p.chosen)
  const chosen = rows[at]
  return (
    <>
      {chosen && (
        <TieCard
          key={chosen.id}
          tie={chosen}
          ties={p.ties}
          open={p.open}
          onStep={(by) => p.onChoose(rows[(at + by + rows.length) % rows.length]?.id ?? null)}
          onClose={() => p.onChoose(null)}
          onHand={p.onHand}
        />
      )}
      <Ledger
        label={words.tiesByClouds}
        rows={rows}
        id={(t) => t.id}
        selected={p.chosen}
        onSelect={p.onChoose}
        empty={words.noneYetFindThem}
        tone={(t) => toneOf({ active: t.takes_part, suspect: !!said.get(t.id)?.suspect })}
        columns={[
          { head: words.tie, cell: (t) => `${t.a}–${t.b}` },
          { head: words.grade, cell: (t) => <Grade value={t.grade} />, value: (t) => ORDER[t.grade] },
          { head: '', cell: (t) => (t.stale ? words.outOfDate : part(t)) },
          { head: words.overlap, num: true, cell: (t) => share(t.overlap), value: (t) => Math.max(...t.overlap) },
          { head: words.conflict, num: true, cell: (t) => share(t.conflict), value: (t) => Math.max(...t.conflict) },
          {
            head: <>{words.rms(u.small)}</>,
            num: true,
            cell: (t) => u.err(t.rms),
            value: (t) => t.rms / u.smallMetres,
          },
          {
            head: <>{words.worst95(u.small)}</>,
            num: true,
            cell: (t) => (isLoose(t) ? words.notHeld : u.err(t.weakest95)),
            value: (t) => t.weakest95 / u.smallMetres,
          },
          { head: <>{words.residual(u.small)}</>, num: true, cell: (t) => u.err(said.get(t.id)?.shift) },
          { head: 'p', num: true, cell: (t) => chance(said.get(t.id)?.p_value), value: (t) => said.get(t.id)?.p_value },
        ]}
      />
    </>
  )
}

/** The way to them, and what they are for. */
export function FindTies({ ties, scans }: { ties: Ties; scans: number }) {
  return (
    <Button
      loading={ties.searching || ties.find.isPending}
      disabled={scans < 2}
      onClick={() => ties.find.mutate(undefined)}
    >
      {ties.ties.length ? words.findTiesByClouds : words.findTiesByClouds2}
    </Button>
  )
}
