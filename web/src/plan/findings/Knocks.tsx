import type { Schema } from '../../api/client'
import { useUnits } from '../../lib/units'
import { Head, Ledger } from '../../parts'
import { plan as words } from '../../words'

/** Knocks of a target that no test would find, the most harmful first. */
export function Knocks({ knocks }: { knocks: Schema['CoverDto']['prediction']['knocks'] }) {
  const u = useUnits()
  const loose = knocks
    .filter((k) => k.size == null || k.size > 0.003)
    .sort((a, b) => (b.effect ?? 9) - (a.effect ?? 9))
    .slice(0, 6)
  if (loose.length === 0) return null
  return (
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
  )
}
