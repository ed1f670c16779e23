import type { CloudTie } from './useTies'
import type { Result } from './useRegistration'

export type GradeName = CloudTie['grade']

/** What holds two scans together, by targets, by clouds, or both. */
export interface Edge {
  a: string
  b: string
  grade: GradeName
  /** Share of the one that the other saw too, as far as the clouds say. */
  overlap: number | null
  shared: number
  /** The tie by clouds, to be looked at. */
  cloud: string | null
  /** It takes part in the block. */
  used: boolean
}

const WORST = { failed: 3, doubtful: 2, not_judged: 1, sound: 0 }

/** All pairs of scans that something is known of, one edge a pair. What did not go together is no edge, unless it takes part. */
export function edges(result: Result | undefined, clouds: CloudTie[]): Edge[] {
  const all = new Map<string, Edge>()
  const key = (a: string, b: string) => (a < b ? `${a}\n${b}` : `${b}\n${a}`)
  // one or two shared targets are no tie
  for (const t of (result?.ties ?? []).filter((x) => x.grade !== 'not_judged'))
    all.set(key(t.a, t.b), {
      a: t.a,
      b: t.b,
      grade: t.grade,
      overlap: null,
      shared: t.shared.length,
      cloud: null,
      used: true,
    })
  for (const t of clouds) {
    if (!t.takes_part && t.grade !== 'doubtful') continue
    const k = key(t.a, t.b)
    const by = all.get(k)
    const overlap = Math.max(...t.overlap)
    if (by) all.set(k, { ...by, overlap, cloud: t.id, grade: WORST[t.grade] > WORST[by.grade] ? t.grade : by.grade })
    else all.set(k, { a: t.a, b: t.b, grade: t.grade, overlap, shared: 0, cloud: t.id, used: t.takes_part })
  }
  return [...all.values()].sort((x, y) => WORST[x.grade] - WORST[y.grade])
}

/** Scans in the order in which the matrix shows most near its diagonal: each beside what it shares most with. */
export function ordered(names: string[], of: Edge[]): string[] {
  const weight = new Map<string, Map<string, number>>()
  for (const e of of) {
    const w = (e.overlap ?? 0) + 0.05 * e.shared
    for (const [x, y] of [
      [e.a, e.b],
      [e.b, e.a],
    ] as const)
      weight.set(x, (weight.get(x) ?? new Map<string, number>()).set(y, w))
  }
  const left = new Set(names)
  const out: string[] = []
  while (left.size > 0) {
    const last = out.at(-1)
    let next: string | undefined
    let best = 0
    for (const [name, w] of weight.get(last ?? '') ?? []) if (left.has(name) && w > best) [next, best] = [name, w]
    next ??= names.find((n) => left.has(n))
    if (!next) break
    left.delete(next)
    out.push(next)
  }
  return out
}
