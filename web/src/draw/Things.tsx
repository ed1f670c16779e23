import { count } from '../lib/count'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { draw as words } from '../words'
import { type Drawn, kindOf, lengthOf, worstOf } from './drawn'

const ORDER = ['wall', 'low', 'opening', 'column', 'thickness', 'unseen']

/** Everything on a plan, with how well it is known. */
export function Things(p: { items: Drawn[]; selected: string[]; onSelect: (ids: string[]) => void }) {
  const u = useUnits()
  const rows = [...p.items].sort(
    (a, b) => ORDER.indexOf(kindOf(a)) - ORDER.indexOf(kindOf(b)) || lengthOf(b) - lengthOf(a),
  )
  const size = (d: Drawn) => {
    if (d.kind === 'column') return (d.data.radius ?? 0) * 2
    return d.kind === 'thickness' ? (d.data.thickness ?? 0) : lengthOf(d)
  }
  const standing = (d: Drawn) => {
    if (d.kind === 'unseen') return '–'
    if (d.data.found) return words.found
    return d.data.error95?.length ? words.agreed : words.byHand
  }
  return (
    <Ledger
      label={words.lines}
      rows={rows}
      id={(d) => d.id}
      selected={p.selected[0] ?? null}
      onSelect={(id) => p.onSelect(id ? [id] : [])}
      picked={p.selected}
      onPick={p.onSelect}
      tone={(d) => (d.kind === 'unseen' ? 'bad' : undefined)}
      empty={words.nothingOnIt}
      columns={[
        { head: words.what, cell: (d) => words.kinds[kindOf(d)] },
        { head: words.length(u.code), num: true, cell: (d) => u.len(size(d), 3), value: size },
        {
          head: words.across95(u.small),
          num: true,
          cell: (d) => (worstOf(d) == null ? '–' : u.err(worstOf(d))),
          value: (d) => worstOf(d) ?? -1,
        },
        {
          head: words.square,
          cell: (d) => (d.data.square == null ? '' : `∟${num(d.data.square + 1, 0)}`),
          value: (d) => d.data.square ?? -1,
        },
        { head: words.standing, cell: standing },
        {
          head: words.seenBy,
          cell: (d) =>
            d.data.scans?.length ? words.scansAndPoints(d.data.scans.length, count(d.data.points ?? 0)) : '',
        },
      ]}
    />
  )
}
