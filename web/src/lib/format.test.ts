import { afterEach, describe, expect, it } from 'vitest'
import { count, plural } from './count'
import { angle, arc, chance, num, span, when } from './format'
import { change } from './settings'
import { unitsOf } from './units'

afterEach(() => change({ decimal: '.', angles: 'deg' }))

describe('numbers', () => {
  it('have their digits, a true minus, and never minus nothing', () => {
    expect(num(1.005, 2)).toBe('1.01')
    expect(num(-1.5, 1)).toBe('−1.5')
    expect(num(-0.0001, 2)).toBe('0.00')
    expect(num(null, 2)).toBe('–')
    expect(num(Number.NaN, 2)).toBe('–')
  })
  it('have the decimal sign of the reader', () => {
    change({ decimal: ',' })
    expect(num(1234.5, 1)).toBe('1234,5')
    expect(unitsOf('m').len(1.25)).toBe('1,250')
  })
  it('are counted in groups and in words', () => {
    expect(count(12_345_678)).toBe('12\u00a0345\u00a0678')
    expect(plural(1, 'scan')).toBe('1 scan')
    expect(plural(2, 'box', 'boxes')).toBe('2 boxes')
    expect(chance(1e-9)).toBe('< 0.001')
    expect(arc(Math.PI / 648_000)).toBe('1.0')
  })
})

describe('units', () => {
  it('tell the two feet apart', () => {
    const [ft, us] = [unitsOf('ft'), unitsOf('ftUS')]
    expect(ft.len(304.8, 4)).toBe('1000.0000')
    expect(us.len(304.8, 4)).toBe('999.9980')
    expect(unitsOf('m').err(0.00312)).toBe('3.12')
    expect(ft.err(0.003048)).toBe('0.01000')
  })

  it('say no more digits than an error is good for', () => {
    expect([0.00312, 0.0938, 0.1662].map(unitsOf('m').about)).toEqual(['3.12', '93.8', '166'])
    expect(unitsOf('m').within(0.16606, 0.01119)).toBe('166.1 ± 11.2')
    expect(unitsOf('m').within(0.16606, null)).toBe('166.06 ± ?')
    expect(unitsOf('ft').within(0.03048, 0.0003048)).toBe('0.10000 ± 0.00100')
  })
})

describe('times and directions', () => {
  it('never say 60 minutes', () => {
    expect(span(7199.9)).toBe('2 h 00 min')
    expect(span(5400)).toBe('1 h 30 min')
    expect(span(59)).toBe('59 s')
    expect(when('2026-03-01T07:05:00Z')).toBe('2026-03-01 07:05 UTC')
    expect(when('nonsense')).toBe('')
  })
  it('come in degrees, gon, or degrees, minutes and seconds', () => {
    expect(angle(Math.PI / 2)).toBe('90.000°')
    change({ angles: 'gon' })
    expect(angle(Math.PI / 2)).toBe('100.0000 gon')
    change({ angles: 'dms' })
    expect(angle((12.999999 * Math.PI) / 180)).toBe('13° 00′ 00″')
  })
})
