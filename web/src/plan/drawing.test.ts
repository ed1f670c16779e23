import { describe, expect, it } from 'vitest'
import type { Item } from '../lib/hooks'
import type { Schema } from '../api/client'
import { drawnData, freeName, movedItems, nudged, parsePoints, takenUp } from './drawing'

const item = (kind: string, name: string, data: Partial<Item['data']> = {}): Item => ({
  id: name,
  kind,
  version: 1,
  deleted: false,
  data: { name, base: 0, top: 0, ...data },
})
const plan = [
  item('station', 'S1', { position: [1, 2, 1.65], over: 'M1', instrument_height: 1.6 }),
  item('target', 'M1', { position: [1, 2, 0], target: 'mark' }),
  item('wall', 'Wall 1', {
    line: [
      [0, 0],
      [4, 0],
    ],
    top: 3,
  }),
  item('height', 'H1', { position: [10, 10, 2] }),
]

describe('names', () => {
  it('are the next that nobody has, whatever their case', () => {
    expect(freeName(plan, 'station')).toBe('S2')
    expect(freeName([...plan, item('station', 's2')], 'station')).toBe('S3')
    expect(freeName(plan, 'target', new Set(['target k1']))).toBe('K2')
  })
})

describe('drawing', () => {
  it('stands on the nearest known ground', () => {
    expect(drawnData('station', [[9, 9]], plan, [], null).position).toEqual([9, 9, 3.65])
    expect(drawnData('column', [[9, 9]], plan, [], null)).toMatchObject({ base: 2, top: 5, radius: 0.2 })
  })
  it('stands on its storey upstairs', () => {
    expect(drawnData('station', [[9, 9]], plan, [0, 3.2], 3.2).position).toEqual([9, 9, 4.85])
  })
})

describe('moving', () => {
  it('takes the station over a mark along, in one step', () => {
    const changes = movedItems(plan, [{ id: 'M1', line: [[5, 6]] }])
    expect(changes.map((c) => [c.id, c.data?.position])).toEqual([
      ['M1', [5, 6, 0]],
      ['S1', [5, 6, 1.65]],
    ])
    expect(changes[1]!.data?.over).toBe('M1')
  })
  it('takes a station that is dragged off its mark', () => {
    const [c] = movedItems(plan, [{ id: 'S1', line: [[7, 8]] }])
    expect(c!.data).toMatchObject({ position: [7, 8, 1.65] })
    expect(c!.data?.over).toBeUndefined()
    expect(c!.data?.instrument_height).toBeUndefined()
  })
  it('shifts walls and points alike, several in one step', () => {
    const changes = nudged(plan.slice(2), 0.5, -0.5)
    expect(changes).toHaveLength(2)
    expect(changes[0]!.data?.line).toEqual([
      [0.5, -0.5],
      [4.5, -0.5],
    ])
    expect(changes[1]!.data?.position).toEqual([10.5, 9.5, 2])
  })
})

describe('coordinates that are pasted', () => {
  it('come in the unit of the job, from any spreadsheet', () => {
    expect(parsePoints('S1\t10\t20\nS2; 1,5; 2,5; 3\n# no\n', 0.3048)).toEqual([
      { name: 'S1', at: [3.048, 6.096, null] },
      { name: 'S2', at: [1.5 * 0.3048, 2.5 * 0.3048, 3 * 0.3048] },
    ])
  })
  it('name the line that cannot be read', () => {
    expect(() => parsePoints('S1 1 2\nS2 x 2', 1)).toThrow('line 2: found “S2 x 2”, expected a name and x, y')
  })
})

describe('a proposal that is taken up', () => {
  const proposal = {
    stations: [
      [0, 0, 1.6],
      [3, 3, 1.6],
      [6, 6, 1.6],
    ],
    locked: 1,
    step: 0.001,
  } as unknown
  it('keeps what is locked or stands over a mark, and clashes with no name that stays', () => {
    const items = [
      item('station', 'S1', { position: [9, 9, 1.6] }),
      item('station', 'S2', { position: [0, 0, 1.6], locked: true }),
      item('station', 's3', { position: [1, 1, 1.6], over: 'M1' }),
    ]
    const changes = takenUp(items, proposal as Schema['AlternativeDto'], 0.002)
    expect(changes.filter((c) => !c.data).map((c) => c.id)).toEqual(['S1'])
    expect(changes.flatMap((c) => (c.data ? [c.data.name] : []))).toEqual(['S1', 'S4'])
    expect(changes.at(-1)!.data).toMatchObject({ order: 2, step: 0.001, position: [6, 6, 1.6] })
  })
})
