import type { Schema } from '../api/client'
import type { Units } from '../lib/units'
import { plan as words } from '../words'

export type Surface = Schema['SurfaceDto']
/** What a map shows of each piece of a surface. */
export type MapMode = 'station' | 'count' | 'spacing' | 'incidence' | 'why' | 'error'

export const MAPS: { value: MapMode; label: string; says: string }[] = [
  {
    value: 'station',
    label: words.thePickedStation,
    says: words.tealWhatThePicked,
  },
  { value: 'count', label: words.howOftenCovered, says: words.redNeverOchreOnce },
  { value: 'spacing', label: words.bestSpacing, says: words.tealFarFinerThan },
  { value: 'incidence', label: words.bestIncidence, says: words.tealSquareSand45 },
  {
    value: 'why',
    label: words.whyNotCovered,
    says: words.greyHiddenVioletOutside,
  },
  {
    value: 'error',
    label: words.predictedErrorPlain,
    says: words.n95OfAPoint,
  },
]
export const WHY = [
  words.covered,
  words.hidden,
  words.outsideTheFieldOf,
  words.outOfRange,
  words.tooOblique,
  words.tooCoarse,
]
const WHY_COLOURS = ['#d5e6e2', '#7d868d', '#6d5a93', '#3d6ea5', '#b07a1a', '#93302b']
const RED = '#93302b',
  OCHRE = '#b98a22',
  TEAL = '#1d8a80',
  GREY = '#b7bdc1'

/** From teal by sand to red. */
export function ramp(t: number): string {
  const [a, b, c] = [
    [29, 138, 128],
    [226, 198, 120],
    [147, 48, 43],
  ] as const
  const mix = (p: readonly number[], q: readonly number[], s: number) =>
    `rgb(${p.map((v, i) => Math.round(v + (q[i]! - v) * s)).join(',')})`
  return t < 0.5 ? mix(a, b, Math.max(t, 0) * 2) : mix(b, c, Math.min(t, 1) * 2 - 1)
}

/** The colour of a piece: see the fields of `cells`. */
export function colourOf(
  mode: MapMode,
  cell: readonly number[],
  required: number | null | undefined,
  limit: number | null,
): string {
  const [count, spacing, incidence, why, error] = [cell[6]!, cell[7]!, cell[8]!, cell[9]!, cell[10]!]
  if (mode === 'why') return WHY_COLOURS[why]!
  if (mode === 'count') return [RED, OCHRE][count] ?? TEAL
  if (mode === 'error') return error > 0 && limit ? ramp(error / limit) : GREY
  if (why > 0) return RED
  return mode === 'spacing' ? ramp(spacing / (required ?? 0.1) / 2) : ramp(incidence / (Math.PI / 2))
}

/** Stretches of wall seen from above: the worst piece of each column speaks for it. */
export function fromAbove(
  mode: MapMode,
  surfaces: Surface[],
  limit: number | null,
): { line: [number, number][]; colour: string }[] {
  const out: { line: [number, number][]; colour: string }[] = []
  const bad = (c: readonly number[]) => {
    if (mode === 'count') return -c[6]!
    if (mode === 'error') return c[10]!
    if (c[9]! > 0) return 100 + c[9]!
    return mode === 'spacing' ? c[7]! : c[8]!
  }
  for (const s of surfaces) {
    if (s.kind !== 'wall') continue
    const columns = new Map<string, number[]>()
    for (const c of s.cells) {
      const key = c[3]!.toFixed(3)
      const old = columns.get(key)
      if (!old || bad(c) > bad(old)) columns.set(key, c)
    }
    const along = directions(s)
    for (const c of columns.values()) {
      const [dx, dy] = along(c)
      const h = c[4]! / 2
      out.push({
        line: [
          [c[0]! - dx * h, c[1]! - dy * h],
          [c[0]! + dx * h, c[1]! + dy * h],
        ],
        colour: colourOf(mode, c, s.required, s.accuracy ?? limit),
      })
    }
  }
  return out
}

/** Which way a wall runs at a piece of it: from a neighbour on the same leg. */
export function directions(s: { cells: number[][] }): (cell: readonly number[]) => [number, number] {
  const columns = new Map<string, readonly number[]>()
  for (const c of s.cells) columns.set(c[3]!.toFixed(3), c)
  const sorted = [...columns.values()].sort((a, b) => a[3]! - b[3]!)
  const found = new Map<string, [number, number]>()
  for (const [k, c] of sorted.entries()) {
    const near = [sorted[k + 1], sorted[k - 1]].find(
      (n) => n && Math.abs(Math.hypot(n[0]! - c[0]!, n[1]! - c[1]!) - Math.abs(n[3]! - c[3]!)) < 1e-3,
    )
    const l = near ? near[3]! - c[3]! : 1
    found.set(c[3]!.toFixed(3), near ? [(near[0]! - c[0]!) / l, (near[1]! - c[1]!) / l] : [1, 0])
  }
  return (cell) => found.get(cell[3]!.toFixed(3)) ?? [1, 0]
}

/** What is known of a piece, in words. */
export function cellWords(c: readonly number[], u: Units): string {
  const seen = c[9]
    ? WHY[c[9]]!
    : words.coveredBySpacingIncidence(c[6], u.err(c[7]), u.small, ((c[8]! * 180) / Math.PI).toFixed(0))
  return `height ${u.len(c[2], 2)} ${u.code}: ${seen}${c[10] ? `, predicted ${u.err(c[10])} ${u.small} (95 %)` : ''}`
}
