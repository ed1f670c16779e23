import type { Item } from '../lib/hooks'

type At = readonly [number, number] | readonly number[]

/** Whether a place lies in a closed outline. */
export function within(outline: readonly (readonly number[])[], [x = 0, y = 0]: At): boolean {
  let inside = false
  for (const [k, a] of outline.entries()) {
    const b = outline[(k + 1) % outline.length]!
    const [ax = 0, ay = 0] = a
    const [bx = 0, by = 0] = b
    if (ay > y !== by > y && x < ax + ((y - ay) / (by - ay)) * (bx - ax)) inside = !inside
  }
  return inside
}

const twiceArea = (o: readonly (readonly number[])[]) =>
  Math.abs(
    o.reduce((sum, a, k) => {
      const b = o[(k + 1) % o.length]!
      return sum + a[0]! * b[1]! - a[1]! * b[0]!
    }, 0),
  )

/** What the error in space is held against at a place: of the smallest area with limits of its own that holds it, else the
 * brief's. */
export function limitAt(items: readonly Item[], brief: number | null | undefined) {
  const areas = items
    .filter((i) => i.kind === 'area' && i.data.area === 'limits' && i.data.spatial95 != null)
    .map((i) => ({ line: i.data.line ?? [], limit: i.data.spatial95!, size: twiceArea(i.data.line ?? []) }))
    .sort((a, b) => a.size - b.size)
  return (at: At): number | null => areas.find((a) => within(a.line, at))?.limit ?? brief ?? null
}
