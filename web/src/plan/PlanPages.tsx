import { Segmented } from 'antd'
import { useState } from 'react'
import type { Schema } from '../api/client'
import { num } from '../lib/format'
import type { useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Ledger, States } from '../parts'
import { CoverPart } from './CoverPart'
import { Density } from './Density'
import { freeName } from './drawing'
import { Findings } from './findings/Findings'
import { KIND_NAMES } from './ItemForm'
import { Leapfrog } from './Leapfrog'
import { Propose } from './Propose'
import type { Change, Item } from './usePlan'
import type { useWalks } from './walks/useWalks'
import { Walks } from './walks/Walks'
import { plan as words } from '../words'

export type Page = 'findings' | 'items' | 'cover' | 'propose' | 'leapfrog' | 'density' | 'walks'

interface Props {
  items: Item[]
  picked: string[]
  setPicked: (ids: string[]) => void
  cover: ReturnType<typeof useRead<'/api/jobs/{job}/plan/cover'>>
  walks: ReturnType<typeof useWalks>
  page: Page
  setPage: (p: Page) => void
  at: number
  ghost: Schema['AlternativeDto'] | null
  setGhost: (a: Schema['AlternativeDto'] | null) => void
  setMoves: (m: Schema['MoveDto'][]) => void
  onApply: (c: Change[]) => void
}

/** What the plan says: what goes wrong, what is covered, proposals, the day. */
export function PlanPages(p: Props) {
  const { items, cover, page } = p
  const free = (kind: string, taken?: Set<string>) => freeName(items, kind, taken)
  const byName = (name: string) => {
    const named = items.filter((x) => x.data.name === name)
    const i = named.find((x) => x.kind === 'station' || x.kind === 'target' || x.kind === 'walk') ?? named[0]
    if (i) p.setPicked([i.id])
  }
  const one = p.picked.length === 1 ? p.picked[0]! : null
  const stations = items.filter((i) => i.kind === 'station').length
  return (
    <>
      <Segmented<Page>
        block
        aria-label={words.page}
        value={page}
        onChange={p.setPage}
        options={[
          { value: 'findings', label: words.findings },
          { value: 'items', label: words.itemsText },
          { value: 'cover', label: words.coverage },
          { value: 'propose', label: words.propose },
          { value: 'leapfrog', label: words.leapfrog },
          { value: 'density', label: words.density },
          { value: 'walks', label: words.walksTitle },
        ]}
      />
      {page === 'findings' && stations === 0 && <p className="empty">{words.placeStationsToSee}</p>}
      {(page === 'findings' || page === 'cover') && stations > 0 && (
        <States of={cover} what={words.whatWouldComeOut}>
          {page === 'findings' && cover.data && (
            <Findings cover={cover.data} items={items} onSelect={byName} onApply={p.onApply} free={free} />
          )}
          {page === 'cover' && cover.data && (
            <CoverPart
              cover={cover.data}
              items={items}
              at={p.at}
              selected={one}
              onSelect={(id) => p.setPicked(id ? [id] : [])}
            />
          )}
        </States>
      )}
      {page === 'items' && <Items items={items} picked={p.picked} onPick={p.setPicked} />}
      {page === 'propose' && (
        <Propose items={items} free={free} shown={p.ghost} onShow={p.setGhost} onApply={p.onApply} />
      )}
      {page === 'leapfrog' && (
        <Leapfrog
          items={items}
          order={(cover.data?.stations ?? []).map((s) => s.name)}
          onMoves={p.setMoves}
          onApply={p.onApply}
        />
      )}
      {page === 'walks' && (
        <Walks
          of={p.walks}
          items={items}
          picked={p.picked}
          setPicked={p.setPicked}
          onApply={p.onApply}
          onSelect={byName}
        />
      )}
      {page === 'density' && <Density count={Math.max(1, stations)} />}
    </>
  )
}

/** Length of a line on the plan, metres. */
const length = (line: readonly (readonly number[])[]) =>
  line.slice(1).reduce((s, p, k) => s + Math.hypot(p[0]! - line[k]![0]!, p[1]! - line[k]![1]!), 0)

/** Everything on the plan, to be found, sorted and picked. */
function Items({ items, picked, onPick }: { items: Item[]; picked: string[]; onPick: (ids: string[]) => void }) {
  const u = useUnits()
  const [kind, setKind] = useState('')
  const kinds = [...new Set(items.map((i) => i.kind))].sort()
  const rows = kind ? items.filter((i) => i.kind === kind) : items
  const coordinate = (i: Item, k: number) => i.data.position?.[k] ?? i.data.line?.[0]?.[k]
  return (
    <>
      <div className="bar">
        <Segmented
          aria-label={words.kindOfItem}
          size="small"
          value={kind}
          onChange={setKind}
          options={[{ value: '', label: words.all }, ...kinds.map((k) => ({ value: k, label: KIND_NAMES[k] ?? k }))]}
        />
      </div>
      <Ledger
        label={words.itemsText}
        rows={rows}
        id={(i) => i.id}
        picked={picked}
        onPick={onPick}
        empty={words.nothingOnThePlan}
        columns={[
          { head: words.name, cell: (i) => i.data.name },
          { head: words.kind, cell: (i) => KIND_NAMES[i.kind] ?? i.kind },
          { head: `x [${u.code}]`, num: true, cell: (i) => u.len(coordinate(i, 0), 2) },
          { head: `y [${u.code}]`, num: true, cell: (i) => u.len(coordinate(i, 1), 2) },
          {
            head: `z [${u.code}]`,
            num: true,
            cell: (i) => u.len(i.data.line?.length ? i.data.base : i.data.position?.[2], 2),
          },
          {
            head: words.length(u.code),
            num: true,
            cell: (i) => (i.data.line?.length ? num(length(i.data.line) / u.metres, 2) : ''),
          },
        ]}
      />
    </>
  )
}
