import { describe, expect, it } from 'vitest'
import { under } from './Camera'
import { type Entry, subjectOf } from './journal'
import { cost, steps } from './settings'
import { round } from './SiteMap'

const entry = (at: string, fact: object, stands = true) => ({ id: at, at, fact, stands }) as unknown as Entry
const visit = (station: string, photographs: boolean) => ({
  kind: 'visit',
  data: { station, settings: { photographs } },
})

describe('the site', () => {
  it('says which stations were photographed under a check, and not those of the next', () => {
    const checks = [entry('08', { kind: 'camera' }), entry('12', { kind: 'camera' })] as const
    const all = [
      entry('07', visit('a', true)),
      ...checks,
      entry('09', visit('b', true)),
      entry('10', visit('c', false)),
      entry('11', visit('d', true), false),
      entry('13', visit('e', true)),
    ]
    const stations = ['a', 'b', 'c', 'd', 'e'].map((id) => ({ id, name: id.toUpperCase() }))
    expect(under(all, checks[0], checks[1], stations)).toEqual(['B'])
    expect(under(all, checks[1], undefined, stations)).toEqual(['E'])
  })
  it('has a scale that is round in the unit of the job', () => {
    expect(round(30, 1)).toBe(5)
    expect(round(30, 0.3048)).toBe(10)
    expect(round(400, 1)).toBe(50)
    expect(round(2.6, 1)).toBe(0.5)
  })
  it('says what a scan costs as it is set', () => {
    const s = { step: 6e-4, repeats: 1, photographs: true, photograph_seconds: 60, seconds: 240, bytes: 1e8 }
    const as = { step: 6e-4, repeats: 1, photographs: true, exposures: false, against_moving: false }
    expect(cost(s, as)).toEqual({ seconds: 240, bytes: 1e8 })
    expect(cost(s, { ...as, step: 3e-4 })).toEqual({ seconds: 4 * 180 + 60, bytes: 4e8 })
    expect(cost(s, { ...as, repeats: 4, photographs: false })).toEqual({ seconds: 720, bytes: 1e8 })
    expect(cost(s, { ...as, exposures: true, against_moving: true })).toEqual({ seconds: 360 + 180, bytes: 2e8 })
    expect(steps(6e-4, 5e-4)).toHaveLength(6)
  })
  it('names what entries are about as the server does', () => {
    const subject = (kind: string, data: object) => subjectOf({ kind, data } as Parameters<typeof subjectOf>[0])
    expect(subject('policy', { instrument: ' Mid-Range ' })).toBe('policy mid-range')
    expect(subject('by_hand', {})).toBe('by hand')
    expect(subject('shots', { id: 'x' })).toBe('shots x')
    expect(subject('measured', { id: 'x' })).toBe('length x')
  })
})
