import type { Days } from './useDays'

type Step = Pick<Days['steps'][number], 'work' | 'at' | 'from'>

/** Named by their station above the line. */
const NAMED = new Set<Step['work']>(['scan', 'pass'])
/** What a letter of a name takes, percent of the chart. */
const LETTER = 0.7

/** Names over steps that have room after the one before; the others are said when pointed at. */
export function namesWithRoom(steps: Step[], x: (t: number) => number): string[] {
  let free = 0
  return steps.map((s) => {
    const name = NAMED.has(s.work) ? (s.at ?? '') : ''
    if (!name || x(s.from) < free) return ''
    free = x(s.from) + LETTER * (name.length + 1)
    return name
  })
}
