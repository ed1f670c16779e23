import { Input } from 'antd'
import { useState } from 'react'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { draw as words } from '../words'
import type { Drawn } from './drawn'
import { heightsOf, missing, worstShot } from './features'
import { cornersOf } from './ground'
import type { Drawing } from './useDrawing'

/** Every feature with its heights and what it is uncertain by. */
export function Coded(p: {
  items: Drawn[]
  drawing: Drawing
  selected: string | null
  onSelect: (id: string | null) => void
  edit: boolean
}) {
  const u = useUnits()
  const one = p.items.find((d) => d.id === p.selected)
  const old = (d: Drawn) => !!p.drawing.data?.stale.includes(d.id)
  const heights = (d: Drawn) => {
    const h = heightsOf(d)
    if (!h) return ''
    return h[1] - h[0] < 0.0005 ? u.len(h[0], 3) : `${u.len(h[0], 3)} – ${u.len(h[1], 3)}`
  }
  const plan = (d: Drawn) => {
    const worst = worstShot(d, 0)
    if (worst == null) return ''
    return worst === 0 ? words.asDrawn : u.err(worst)
  }
  const says = (d: Drawn) =>
    [missing(d) > 0 && words.notMeasured(missing(d)), old(d) && words.featureStale].filter(Boolean).join(', ')
  const rows = [...p.items].sort((a, b) => (key(a) < key(b) ? -1 : 1))
  return (
    <div>
      {one && p.edit && <Name key={`${one.id} ${one.version}`} of={one} drawing={p.drawing} />}
      <Ledger
        label={words.features}
        rows={rows}
        id={(d) => d.id}
        selected={p.selected}
        onSelect={p.onSelect}
        tone={(d) => (missing(d) > 0 || old(d) ? 'bad' : undefined)}
        empty={words.nothingOnIt2}
        columns={[
          { head: words.code, cell: (d) => d.data.code ?? '' },
          { head: words.name, cell: (d) => [d.data.name, says(d)].filter(Boolean).join(' · ') },
          { head: words.corners, num: true, cell: (d) => `${cornersOf(d).length}`, value: (d) => cornersOf(d).length },
          { head: words.heightOf(u.code), num: true, cell: heights, value: (d) => heightsOf(d)?.[0] ?? 0 },
          {
            head: words.height95(u.small),
            num: true,
            cell: (d) => u.err(worstShot(d, 1)),
            value: (d) => worstShot(d, 1) ?? 0,
          },
          { head: words.plan95(u.small), num: true, cell: plan, value: (d) => worstShot(d, 0) ?? 0 },
          { head: words.seenBy, cell: (d) => scansOf(d).join(' ') },
        ]}
      />
    </div>
  )
}

const key = (d: Drawn) => `${d.data.code} ${d.data.name} ${d.id}`
const scansOf = (d: Drawn) => [...new Set((d.data.shots ?? []).flatMap((s) => s?.scans ?? []))]

/** What a feature is called. */
function Name({ of, drawing }: { of: Drawn; drawing: Drawing }) {
  const [name, setName] = useState(of.data.name ?? '')
  const keep = () => {
    if (name.trim() !== (of.data.name ?? ''))
      void drawing.apply([{ id: of.id, kind: of.kind, data: { ...of.data, name: name.trim() } }])
  }
  return (
    <p className="in-row">
      {words.name}
      <Input
        size="small"
        style={{ width: 180 }}
        maxLength={60}
        aria-label={words.name}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onBlur={keep}
        onPressEnter={keep}
      />
    </p>
  )
}
