import type { Schema } from '../../api/client'

export type Mark = Schema['PassMarkDto']
/** A mark that nobody has said the control point of has an empty name. */
type Read = { marks: Mark[] } | { line: number; found: string }

const number = (word: string | undefined) => Number((word ?? '').replace(',', '.') || Number.NaN)
/** In the place of a name: the next point of the list. */
const UNNAMED = '?'

/** A line as a mark: `time [point [height]]` where the unit stood, `@ x y z [point [height]]` where it shows in the cloud, or
 * `@time x y z …` where it is known when it was measured there; lengths in the unit of the job. Nothing where it is none. */
function mark(line: string, metres: number): Mark | null {
  const words = line.split(/[\s;]+/)
  const shown = words[0]?.startsWith('@') ?? false
  const when = shown ? Number(words[0]?.slice(1)) : 0
  const numbers = (shown ? words.slice(1, 4) : words.slice(0, 1)).map(number)
  const [point, height, ...more] = words.slice(shown ? 4 : 1)
  const over = height == null ? 0 : number(height)
  if (more.length > 0 || [...numbers, over, when].some((n) => !Number.isFinite(n)) || (shown && numbers.length < 3))
    return null
  const [x = 0, y = 0, z = 0] = numbers
  const place: [number, number, number] | null = shown ? [x * metres, y * metres, z * metres] : null
  return { time: shown ? when : x, place, point: point === UNNAMED ? '' : (point ?? ''), height: over * metres }
}

/** Marks as lines; the first line that is none is named. */
export function readMarks(text: string, metres: number): Read {
  const marks: Mark[] = []
  for (const [k, line] of text.split('\n').entries()) {
    if (line.trim() === '') continue
    const read = mark(line.trim(), metres)
    if (!read) return { line: k + 1, found: line.trim() }
    marks.push(read)
  }
  return { marks }
}

/** The same as text. */
export function writeMarks(marks: Mark[], metres: number) {
  const long = (v: number) => Number((v / metres).toFixed(4))
  const noted = (m: Mark) => (m.place ? `@${m.time || ''} ${m.place.map(long).join(' ')}` : `${m.time}`)
  return marks.map((m) => `${noted(m)} ${m.point || UNNAMED} ${long(m.height)}`).join('\n')
}
