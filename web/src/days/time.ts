/** Times of days: seconds from the midnight before the first day, on the clock of the site. */

const DAY = 86_400
const two = (v: number) => String(v).padStart(2, '0')

/** Hours and minutes of a time. */
export function clock(t: number | null | undefined): string {
  if (t == null || !Number.isFinite(t)) return '–'
  const minutes = Math.round(t / 60)
  const ofDay = ((minutes % 1440) + 1440) % 1440
  return `${two(Math.floor(ofDay / 60))}:${two(ofDay % 60)}`
}

/** Seconds of a time as it is entered, `hh:mm`; none for what is no time. */
export function seconds(text: string): number | null {
  const m = /^(\d{1,2}):(\d{2})/.exec(text)
  if (!m) return null
  const [h, min] = [Number(m[1]), Number(m[2])]
  return h <= 24 && min < 60 && h * 60 + min <= 1440 ? (h * 60 + min) * 60 : null
}

/** The date of a time. */
export function dateOf(first: string, t: number): string {
  const at = new Date(`${first}T00:00:00Z`)
  at.setUTCDate(at.getUTCDate() + Math.floor(t / DAY))
  return at.toISOString().slice(0, 10)
}

/** The moment of a time of the site, and back; `offset` in minutes ahead of UTC. */
export const moment = (first: string, offset: number, t: number) =>
  new Date(Date.parse(`${first}T00:00:00Z`) + t * 1000 - offset * 60_000).toISOString()
export const clockOf = (first: string, offset: number, at: string) =>
  (Date.parse(at) + offset * 60_000 - Date.parse(`${first}T00:00:00Z`)) / 1000
