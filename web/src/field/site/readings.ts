import type { Schema } from '../../api/client'
import { field as words } from '../../words'

type Faces = Schema['TwoFacesDto']
type Distance = Schema['KnownDistanceDto']
const DEG = Math.PI / 180
/** σ of a distance where none is given, metres. */
const SIGMA = 0.0005

/** Lines of numbers, with a point or a comma before decimals; what is wrong is named by its line. */
function numbers(text: string, wanted: number[], what: string): { rows: number[][]; wrong?: string } {
  const rows: number[][] = []
  for (const [k, line] of text.split('\n').entries()) {
    if (!line.trim()) continue
    const cells = line.trim().split(/[\s;\t]+/)
    const row = cells.map((c) => Number(c.replace(',', '.')))
    if (!wanted.includes(row.length) || row.some((v) => !Number.isFinite(v)))
      return { rows, wrong: words.lineWrong(k + 1, line.trim().slice(0, 60), what) }
    rows.push(row)
  }
  return { rows }
}

/** Direction and elevation in the first face, then in the second, degrees; a line for each target. */
export function readFaces(text: string): { rows: Faces[]; wrong?: string } {
  const { rows, wrong } = numbers(text, [4], words.fourNumbers)
  return {
    rows: rows.map(([a, b, c, d]) => ({ first: [a! * DEG, b! * DEG], second: [c! * DEG, d! * DEG] })),
    wrong,
  }
}

/** Known and measured distance, and σ of the known one where it is known; a line for each. */
export function readDistances(text: string, metres: number): { rows: Distance[]; wrong?: string } {
  const { rows, wrong } = numbers(text, [2, 3], words.twoNumbers)
  return {
    rows: rows.map(([known, measured, sigma]) => ({
      known: known! * metres,
      measured: measured! * metres,
      sigma: sigma === undefined ? SIGMA : sigma * metres,
    })),
    wrong,
  }
}

const degrees = (v: number) => (v / DEG).toFixed(6)
export const writeFaces = (rows: Faces[]) =>
  rows.map((f) => [...f.first, ...f.second].map(degrees).join(' ')).join('\n')
export const writeDistances = (rows: Distance[], metres: number) =>
  rows.map((d) => [d.known, d.measured, d.sigma].map((v) => (v / metres).toFixed(5)).join(' ')).join('\n')
