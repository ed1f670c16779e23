import type { Item } from './usePlan'

/** Heights of the storeys, lowest first: of the floors and walls that stand on one another; none on a site that has one only. */
export function storeysOf(items: Item[]): number[] {
  const feet = items
    .filter((i) => i.kind === 'floor' || i.kind === 'wall')
    .map((i) => i.data.base ?? 0)
    .sort((a, b) => a - b)
  const apart: number[] = []
  // steps in the ground are no storeys
  for (const f of feet) if (apart.length === 0 || f - apart[apart.length - 1]! > 2) apart.push(f)
  return apart.length > 1 ? apart : []
}

/** Which of the storeys a height belongs to. */
export const storeyAt = (storeys: number[], z: number) =>
  Math.max(
    0,
    storeys.findLastIndex((s) => z > s - 0.1),
  )

/** Whether something is to be drawn when one storey is: what stands on it or passes through it, and what has no height. */
export function onStorey(item: Item, storeys: number[], k: number): boolean {
  const { base = 0, top = 0, position = [0, 0, 0] } = item.data
  const low = k === 0 ? -Infinity : storeys[k]!,
    high = storeys[k + 1] ?? Infinity
  if (item.kind === 'wall' || item.kind === 'obstacle' || item.kind === 'column')
    return base < high - 0.1 && top > low + 0.1
  if (item.kind === 'floor') return storeyAt(storeys, base) === k
  if (item.kind === 'station' || item.kind === 'target') return storeyAt(storeys, position[2]!) === k
  return true
}
