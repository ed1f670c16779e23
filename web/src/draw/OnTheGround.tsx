import type { Schema } from '../api/client'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { draw as words } from '../words'
import type { Drawn } from './drawn'
import { type GroundKind, knownShare, lengthAlong, surrounded } from './ground'

const ORDER = ['area', 'spot', 'breakline']

/** Everything drawn on the ground, with heights and volumes and how well they are known. */
export function OnTheGround(p: {
  items: Drawn[]
  ground: Schema['GroundDto']
  selected: string | null
  onSelect: (id: string | null) => void
}) {
  const u = useUnits()
  const spot = (d: Drawn) => p.ground.spots.find((s) => s.id === d.id)
  const volume = (d: Drawn) => p.ground.volumes.find((v) => v.id === d.id)
  const cubic = (m3: number | undefined) => (m3 == null ? '' : num(m3 / u.metres ** 3, 2))
  const height = (d: Drawn) => {
    if (d.kind === 'area') return d.data.height == null ? '' : u.len(d.data.height, 3)
    if (d.kind === 'spot') return spot(d) ? u.len(spot(d)!.height, 3) : words.noHeight
    return ''
  }
  const size = (d: Drawn) => {
    if (d.kind === 'breakline') return `${u.len(lengthAlong(d), 2)} ${u.code}`
    if (d.kind !== 'area') return ''
    const v = volume(d)
    const share = v ? knownShare(v.area, v.whole) : 100
    return u.area(v?.whole ?? surrounded(d), 1) + (share < 100 ? `, ${words.lessKnown(share)}` : '')
  }
  const rows = [...p.items].sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind) || (a.id < b.id ? -1 : 1))
  return (
    <Ledger
      label={words.onTheGround}
      rows={rows}
      id={(d) => d.id}
      selected={p.selected}
      onSelect={p.onSelect}
      tone={(d) => (d.kind === 'spot' && !spot(d) ? 'bad' : undefined)}
      empty={words.nothingOnIt2}
      columns={[
        {
          head: words.what,
          cell: (d) => [words.groundKinds[d.kind as GroundKind], size(d)].filter(Boolean).join(', '),
        },
        { head: words.name, cell: (d) => d.data.name ?? '' },
        { head: words.heightOf(u.code), num: true, cell: height, value: (d) => spot(d)?.height ?? d.data.height ?? 0 },
        { head: words.across95(u.small), num: true, cell: (d) => (spot(d) ? u.err(spot(d)!.error95) : '') },
        { head: words.above(u.code), num: true, cell: (d) => cubic(volume(d)?.above) },
        { head: words.below(u.code), num: true, cell: (d) => cubic(volume(d)?.below) },
        { head: words.volume95(u.code), num: true, cell: (d) => cubic(volume(d)?.error95) },
      ]}
    />
  )
}
