import { describe, expect, it } from 'vitest'
import type { Schema } from '../../api/client'
import { differences, heads, together } from './journal'
import { nextOf } from './NextCard'
import type { Unsent } from './outbox'
import { readDistances, readFaces, writeDistances, writeFaces } from './readings'

const visit = (id: string, read: number, follows: string[] = []) => ({
  id,
  subject: 'station s1',
  fact: { kind: 'visit' as const, data: { station: 's1', height: { read } } },
  follows,
  by: 'Ida',
  device: 'T',
  at: '2031-05-01T08:00:00Z',
  ahead: 0,
  stands: true,
  remarks: [],
  errors: [],
})
const unsent = (id: string, read: number, follows: string[]): Unsent => ({
  id,
  job: 'j',
  by: { id: 'ida', name: 'Ida' },
  fact: { kind: 'visit', data: { station: 's1', height: { read } } } as Unsent['fact'],
  follows,
  takenAt: '2031-05-01T09:00:00Z',
  order: 1,
  why: null,
})

describe('the journal with what waits here', () => {
  const sent = [visit('a', 1.65), visit('b', 1.75, ['a'])] as unknown as Schema['EntryDto'][]
  it('knows what stands, as the server does', () => {
    expect(heads(together(sent, []), 'station s1').map((e) => e.id)).toEqual(['b'])
    // mine follows what I saw; what I did not see stands beside it
    const torn = heads(together(sent, [unsent('c', 1.66, ['a'])]), 'station s1')
    expect(torn.map((e) => [e.id, e.unsent])).toEqual([
      ['b', false],
      ['c', true],
    ])
    const settled = heads(together(sent, [unsent('c', 1.66, ['a', 'b'])]), 'station s1')
    expect(settled.map((e) => e.id)).toEqual(['c'])
  })
  it('has once what came back while it was still here', () => {
    expect(together(sent, [unsent('b', 1.75, ['a'])])).toHaveLength(2)
  })
  it('says in which leaves two versions differ', () => {
    const [a, b] = [
      { height: { read: 1.65, slope: false }, note: '', mark: null },
      { height: { read: 1.75, slope: false }, mark: '' },
    ]
    expect(differences(a, b)).toEqual([{ path: 'height.read', a: 1.65, b: 1.75 }])
  })
})

describe('the next station', () => {
  const station = (id: string, x: number, y: number) => ({ id, name: id, position: [x, y, 1.6], state: 'planned' })
  const now = {
    next: { station: 's1', name: 's1', because: 'first', set_up: ['T1'], keep: [], free: [] },
    stations: [station('s1', 0, 0), station('s2', 0, 20), station('s3', 20, 20)],
  } as unknown as Schema['FieldNowDto']
  it('is the one after what was noted here and the server does not know yet', () => {
    expect(nextOf(now, [])?.name).toBe('s1')
    const mine = together([], [unsent('c', 1.66, [])])
    const next = nextOf(now, mine)
    expect([next?.name, next?.distance, next?.bearing, next?.set_up]).toEqual(['s2', 20, 0, []])
  })
})

describe('readings of a check', () => {
  it('come in as they were written, with a decimal comma too', () => {
    const { rows, wrong } = readFaces('12,5 5.1 12.4 5.2\n\n190;-20;190.1;-20.1')
    expect(wrong).toBeUndefined()
    expect(rows).toHaveLength(2)
    expect(readFaces(writeFaces(rows)).rows[1]?.second[1]).toBeCloseTo((-20.1 * Math.PI) / 180, 8)
    const d = readDistances('10.0 10.002 0.001', 0.3048)
    expect(d.rows[0]?.known).toBeCloseTo(3.048, 9)
    expect(readDistances(writeDistances(d.rows, 0.3048), 0.3048).rows[0]?.measured).toBeCloseTo(10.002 * 0.3048, 6)
  })
  it('are refused with the line, what was found and what was expected', () => {
    expect(readFaces('1 2 3 4\n5 6 x 8').wrong).toContain('Line 2: found “5 6 x 8”')
    expect(readDistances('10', 1).wrong).toContain('two numbers')
  })
})
