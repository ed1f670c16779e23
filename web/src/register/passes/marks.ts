import type { Schema } from '../../api/client'

export type Mark = Schema['PassMarkDto']

/** Marks as lines of time, point and height over it, the height in the unit of the job; the first line that is none is named. */
export function readMarks(text: string, metres: number): { marks: Mark[] } | { line: number; found: string } {
  const marks: Mark[] = []
  for (const [k, line] of text.split('\n').entries()) {
    const words = line.trim().split(/[\s;]+/)
    if (words[0] === '') continue
    const [time, height] = [Number(words[0]?.replace(',', '.')), Number((words[2] ?? '0').replace(',', '.'))]
    const point = words[1]
    if (!point || words.length > 3 || !Number.isFinite(time) || !Number.isFinite(height))
      return { line: k + 1, found: line.trim() }
    marks.push({ time, point, height: height * metres })
  }
  return { marks }
}

/** The same as text. */
export const writeMarks = (marks: Mark[], metres: number) =>
  marks.map((m) => `${m.time} ${m.point} ${Number((m.height / metres).toFixed(4))}`).join('\n')
