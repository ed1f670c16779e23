// @vitest-environment node
import { describe, expect, it } from 'vitest'
import { type Assigned, moved } from './arrange'
import { namesWithRoom } from './names'
import { clock, clockOf, dateOf, moment, seconds } from './time'

const order = (text: string): Assigned[] =>
  text.split(' ').map((s) => ({ station: s.slice(0, 2), scanner: Number(s[2] ?? 0), locked: false }))
const names = (of: Assigned[], scanner = 0) =>
  of
    .filter((a) => a.scanner === scanner)
    .map((a) => a.station)
    .join(' ')

describe('the order of stations', () => {
  it('takes a station before another, and to the end', () => {
    expect(names(moved(order('S1 S2 S3 S4'), 'S4', 0, 'S2'))).toBe('S1 S4 S2 S3')
    expect(names(moved(order('S1 S2 S3 S4'), 'S1', 0, null))).toBe('S2 S3 S4 S1')
  })
  it('keeps the order when a station is put where it is', () => {
    const now = order('S1 S2 S3')
    expect(moved(now, 'S2', 0, 'S2')).toBe(now)
    expect(names(moved(now, 'S2', 0, 'S3'))).toBe('S1 S2 S3')
  })
  it('gives a station to another scanner, and loses none', () => {
    const next = moved(order('S10 S31 S20 S41'), 'S2', 1, 'S4')
    expect([names(next, 0), names(next, 1)]).toEqual(['S1', 'S3 S2 S4'])
    expect(next).toHaveLength(4)
  })
  it('runs several scanners side by side', () => {
    const next = moved(order('S10 S20 S30 S40 A11 A21'), 'S1', 0, 'S2')
    expect(next.map((a) => a.station).join(' ')).toBe('S1 A1 S2 S3 A2 S4')
  })
})

describe('times of days', () => {
  it('are read and written on the clock of the site', () => {
    expect(clock(8 * 3600 + 90)).toBe('08:02')
    expect(clock(86_400 + 60)).toBe('00:01')
    expect([seconds('07:45'), seconds('24:00'), seconds('24:01'), seconds('noon')]).toEqual([
      27_900,
      86_400,
      null,
      null,
    ])
    expect(dateOf('2030-02-28', 86_400 * 1.5)).toBe('2030-03-01')
  })
  it('go to moments and back', () => {
    const at = moment('2030-05-01', 120, 8 * 3600)
    expect(at).toBe('2030-05-01T06:00:00.000Z')
    expect(clockOf('2030-05-01', 120, at)).toBe(8 * 3600)
  })
})

describe('names over the steps of a person', () => {
  it('stand where the one before leaves room, and only there', () => {
    const step = (work: string, at: string, from: number) => ({ work, at, from })
    const steps = [step('scan', 'S1', 0), step('walk', 'S2', 4), step('pass', 'Wing pass 1', 5)]
    steps.push(step('pass', 'Wing pass 2', 8), step('pass', 'Wing pass 3', 20))
    const names = namesWithRoom(steps as Parameters<typeof namesWithRoom>[0], (t) => t)
    expect(names).toEqual(['S1', '', 'Wing pass 1', '', 'Wing pass 3'])
  })
})
