import type { Schema } from '../../api/client'
import { useJob } from '../../lib/hooks'
import { limitAt } from '../limits'
import type { Change, Item } from '../usePlan'
import { Advice } from './Advice'
import { Knocks } from './Knocks'
import { Errors, Weakest } from './Predicted'
import { Traps } from './Traps'

/** What would go wrong, what the error is made of, and the one change that helps most. */
export function Findings({
  cover,
  items,
  onSelect,
  onApply,
  free,
}: {
  cover: Schema['CoverDto']
  items: Item[]
  onSelect: (name: string) => void
  onApply: (c: Change[]) => void
  free: (kind: string) => string
}) {
  const limit = limitAt(items, useJob().brief.requirement.spatial95)
  const { prediction } = cover
  return (
    <>
      <Weakest prediction={prediction} limit={limit} />
      <Advice items={items} asked={prediction.targets.length > 0} onApply={onApply} free={free} />
      <Traps traps={cover.traps} items={items} onSelect={onSelect} onApply={onApply} />
      <Errors prediction={prediction} limit={limit} onSelect={onSelect} />
      <Knocks knocks={prediction.knocks} />
    </>
  )
}
