import type { Schema } from '../api/client'
import type { Change, Item } from './usePlan'

/** A sphere that is carried is another target: its places are told apart by a number. */
export function carried(moves: Schema['MoveDto'][], items: Item[]): Change[] {
  const names = new Set(items.filter((i) => i.kind === 'target').map((i) => i.data.name.toLowerCase()))
  const times = new Map<string, number>()
  const next = (sphere: string): string => {
    const n = (times.get(sphere) ?? 0) + 1
    times.set(sphere, n)
    return names.has(`${sphere}${n}`.toLowerCase()) ? next(sphere) : `${sphere}${n}`
  }
  return moves.flatMap((m) =>
    m.carry.map((c) => ({
      id: crypto.randomUUID(),
      kind: 'target',
      data: { name: next(c.sphere), base: 0, top: 0, position: c.to, target: 'sphere' },
    })),
  )
}
