import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { draw as words } from '../words'
import type { Drawn } from './drawn'
import { extentOf, inOrder, isMeasured, placeError, radiusError, shapeOf } from './solids'

/** What a solid is called. */
export function nameOf(d: Drawn): string {
  const { over_opening, one_face } = d.data.solid ?? {}
  if (d.data.name || over_opening) return d.data.name || words.shapes.over
  return words.shapes[one_face ? 'face' : shapeOf(d)]
}

/** Every solid with its size and what it is uncertain by. */
export function SolidTable(p: {
  items: Drawn[]
  stale: string[]
  selected: string | null
  onSelect: (id: string | null) => void
}) {
  const u = useUnits()
  const size = (d: Drawn) => {
    if (shapeOf(d) !== 'cylinder') return ''
    return `⌀ ${u.within(2 * (d.data.radius ?? 0), 2 * (radiusError(d) ?? 0))}`
  }
  const ends = (d: Drawn) => {
    const arc = d.data.solid?.arc
    if (arc != null) return words.seenRound(num(arc, 0))
    return (d.data.solid?.limits ?? []).map((l) => words.limits[l]).join(' – ')
  }
  const standing = (d: Drawn) => {
    if (!isMeasured(d)) return words.toMeasure
    const said = d.data.found ? words.found : words.agreed
    return p.stale.includes(d.id) ? `${said}, ${words.featureStale}` : said
  }
  return (
    <Ledger
      label={words.solids}
      rows={[...p.items].sort(inOrder)}
      id={(d) => d.id}
      selected={p.selected}
      onSelect={p.onSelect}
      tone={(d) => (!isMeasured(d) || p.stale.includes(d.id) ? 'bad' : undefined)}
      empty={words.noSolid}
      columns={[
        { head: words.what, cell: nameOf },
        { head: words.longOrHigh(u.code), num: true, cell: (d) => u.len(extentOf(d), 3), value: extentOf },
        { head: words.sizeOf(u.small), num: true, cell: size, value: (d) => d.data.radius ?? 0 },
        {
          head: words.place95(u.small),
          num: true,
          cell: (d) => u.err(placeError(d)),
          value: (d) => placeError(d) ?? 0,
        },
        { head: words.fromTo, cell: ends },
        { head: words.standing, cell: standing },
        {
          head: words.scans,
          num: true,
          cell: (d) => num(d.data.scans?.length ?? 0, 0),
          value: (d) => d.data.scans?.length ?? 0,
        },
      ]}
    />
  )
}
