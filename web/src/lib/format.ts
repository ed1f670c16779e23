import { settings } from './settings'
import { common as words } from '../words'

/** Numbers, counts, times and angles in words, the same everywhere; the decimal sign is the reader's. */

const formats = new Map<number, Intl.NumberFormat>()
function fixed(digits: number) {
  let f = formats.get(digits)
  if (!f) {
    f = new Intl.NumberFormat('en', {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      useGrouping: false,
    })
    formats.set(digits, f)
  }
  return f
}

/** A number with so many digits after the decimal sign; a dash for none. */
export function num(v: number | null | undefined, digits: number): string {
  if (v == null || !Number.isFinite(v)) return '–'
  const text = fixed(digits).format(v).replace('-', '−')
  // nothing is minus nothing
  const plain = /^−0([.]0*)?$/.test(text) ? text.slice(1) : text
  return settings().decimal === ',' ? plain.replace('.', ',') : plain
}

const clock = new Intl.DateTimeFormat('sv-SE', { dateStyle: 'short', timeStyle: 'short', timeZone: 'UTC' })
/** A moment, UTC. */
export function when(t: string | null | undefined): string {
  const at = t ? new Date(t) : null
  return at && !Number.isNaN(at.getTime()) ? `${clock.format(at)} UTC` : ''
}

/** How long ago, coarsely. */
export function ago(t: string, now = Date.now()): string {
  const s = (now - new Date(t).getTime()) / 1000
  if (s < 90) return words.justNow
  if (s < 5400) return words.minAgo(Math.round(s / 60))
  if (s < 129_600) return `${Math.round(s / 3600)} h ago`
  return words.daysAgo(Math.round(s / 86_400))
}

/** A length of time, seconds. */
export function span(s: number): string {
  if (!Number.isFinite(s)) return '–'
  const minutes = Math.round(s / 60)
  if (s < 90) return `${Math.max(1, Math.round(s))} s`
  if (minutes < 90) return `${minutes} min`
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`
}

/** Bytes. */
export const size = (b: number) => (b >= 1e9 ? `${num(b / 1e9, 2)} GB` : `${num(b / 1e6, 1)} MB`)

/** A probability. */
export const chance = (p: number | null | undefined) => (p != null && p < 0.001 ? `< ${num(0.001, 3)}` : num(p, 3))

/** A small angle (radians) in arc seconds. */
export const arc = (v: number | null | undefined) => num(v == null ? v : v * (648_000 / Math.PI), 1)

/** A direction (radians) in the reader's unit, with it; `coarse` as one paces it out. */
export function angle(radians: number, coarse = false): string {
  const unit = settings().angles
  if (unit === 'gon') return `${num((radians * 200) / Math.PI, coarse ? 0 : 4)} gon`
  const degrees = (radians * 180) / Math.PI
  if (unit === 'deg' || coarse) return `${num(degrees, coarse ? 0 : 3)}°`
  const seconds = Math.round(Math.abs(degrees) * 3600)
  const two = (v: number) => String(v).padStart(2, '0')
  return `${degrees < 0 ? '−' : ''}${Math.floor(seconds / 3600)}° ${two(Math.floor(seconds / 60) % 60)}′ ${two(seconds % 60)}″`
}
