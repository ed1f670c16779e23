import type { Schema } from '../../api/client'

type Station = Pick<
  Schema['FieldStationDto'],
  'step' | 'repeats' | 'photographs' | 'photograph_seconds' | 'seconds' | 'bytes'
>
type Settings = Schema['ScanSettingsDto']

/** Exposures of a set of photographs against light and shade. */
const EXPOSURES = 3

/** What a scan costs as it is set, from what it costs by plan: points go with the square of the step, time with the points
 * and repeats; a second pass against what moves is one more scan. */
export function cost(s: Station, now: Settings): { seconds: number; bytes: number } {
  const scan = s.seconds - (s.photographs ? s.photograph_seconds : 0)
  const denser = (s.step / (now.step ?? s.step)) ** 2
  const longer = (now.repeats ?? s.repeats) / Math.max(s.repeats, 1)
  const passes = now.against_moving ? 2 : 1
  const pictures = now.photographs ? s.photograph_seconds * (now.exposures ? EXPOSURES : 1) : 0
  return { seconds: scan * denser * longer * passes + pictures, bytes: s.bytes * denser * passes }
}

/** Steps to choose from: the plan's, halves and doubles of it, and what was chosen. */
export const steps = (planned: number, now: number | null | undefined) =>
  [...new Set([planned / 2, planned / Math.SQRT2, planned, planned * Math.SQRT2, planned * 2, now ?? planned])].sort(
    (a, b) => a - b,
  )
