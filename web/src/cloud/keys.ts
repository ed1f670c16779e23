import type { KeyboardEvent } from 'react'
import type { World } from './world'

const TURN = 0.12
const MOVE = 0.06
const NEARER = 0.85

const SIDE: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 }
const UP: Record<string, number> = { ArrowDown: -1, ArrowUp: 1 }

/** What a key asks of a view: a step aside, a step up, and how much nearer. */
export function steps(key: string, closer: number) {
  const near: Record<string, number> = { '+': closer, '=': closer, '-': 1 / closer }
  return { side: SIDE[key] ?? 0, up: UP[key] ?? 0, nearer: near[key] ?? 1 }
}

/** Arrow keys turn the view, with shift they move it; plus and minus go nearer and farther. */
export function keyStep(world: World, e: KeyboardEvent) {
  if (e.ctrlKey || e.metaKey || e.altKey) return
  const { side, up, nearer } = steps(e.key, NEARER)
  if (!side && !up && nearer === 1) return
  e.preventDefault()
  if (e.shiftKey && nearer === 1) world.step(0, 0, side * MOVE, up * MOVE, 1)
  else world.step(side * TURN, -up * TURN, 0, 0, nearer)
}
