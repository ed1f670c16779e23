import { describe, expect, it } from 'vitest'
import type { Schema } from '../api/client'
import { chosen } from './Contents'

const row = (what: Schema['DeliverableDto']['what'], asked: boolean) => ({ what, asked, bytes: 1e6, seconds: 1 })
const whole: Schema['PackageOptions'] = {
  formats: [],
  errors: true,
  per_scan: false,
  clip_min: [null, null, null],
  clip_max: [null, null, null],
  thin: null,
  leave_out: false,
}

describe('what a package will hold', () => {
  it('is what was chosen, else what the brief asks for, else the usual two', () => {
    const rows = [row('laz', false), row('copc', true), row('floor_plans', true)]
    expect(chosen(rows, whole)).toEqual(['copc'])
    expect(chosen(rows, { ...whole, formats: ['ply'] })).toEqual(['ply'])
    expect(chosen([row('laz', false), row('ground', true)], whole)).toEqual(['laz', 'e57'])
    expect(chosen([row('solids', true)], whole)).toEqual(['laz', 'e57'])
  })
})
