import type { Schema } from '../api/client'
import type { Units } from '../lib/units'
import { directions } from '../plan/maps'
import { check as words } from '../words'

export type Shown = Schema['ShownDto']
export type Surface = Shown['surfaces'][number]
export type Hole = Shown['holes'][number]
/** What a piece of a surface shows. */
export type Piece = 'within' | 'coarse' | 'beside' | 'nothing'

const COLOURS: Record<Piece, string> = { within: '#a9cfc8', coarse: '#d2a238', beside: '#7a64ad', nothing: '#c2473e' }
export const colourOf = (p: Piece) => COLOURS[p]
/** From the best to the worst. */
export const PIECES: Piece[] = ['within', 'coarse', 'beside', 'nothing']

/** What the scans show of a piece: see the fields of `cells`. */
export function pieceOf(c: readonly number[], required: number): Piece {
  const [spacing, beside] = [c[6]!, c[7]!]
  if (spacing > 0 && spacing <= required) return 'within'
  if (beside !== 0) return 'beside'
  return spacing > 0 ? 'coarse' : 'nothing'
}

export type Stretch = { line: [[number, number], [number, number]]; piece: Piece }

/** Stretches of wall seen from above: the worst piece of each column speaks for it. */
export function fromAbove(s: Surface): Stretch[] {
  if (s.kind !== 'wall') return []
  const columns = new Map<string, { cell: number[]; piece: Piece }>()
  for (const cell of s.cells) {
    const key = cell[3]!.toFixed(3)
    const piece = pieceOf(cell, s.required)
    const old = columns.get(key)
    if (!old || PIECES.indexOf(piece) > PIECES.indexOf(old.piece)) columns.set(key, { cell, piece })
  }
  const along = directions(s)
  return [...columns.values()].map(({ cell, piece }) => {
    const [dx, dy] = along(cell)
    const [x, y, h] = [cell[0]!, cell[1]!, cell[4]! / 2]
    return {
      line: [
        [x - dx * h, y - dy * h],
        [x + dx * h, y + dy * h],
      ],
      piece,
    }
  })
}

/** What is wrong with a hole, by the most of it, and what that may mean. */
export function lackWords(h: Hole, u: Units): string {
  const most = h.lacks.indexOf(Math.max(...h.lacks))
  if (most === 2 && h.beside != null) return words.liesBeside(u.len(Math.abs(h.beside), 2), u.code)
  if (most === 1) return words.tooFewPoints
  return h.planned >= 0.5 ? words.noPointsThoughPlanned : words.noPoints
}
