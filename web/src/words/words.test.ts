// @vitest-environment node
import { describe, expect, it } from 'vitest'
import * as en from './en'
import { spread } from './pseudo'

const rows = Object.entries(en).flatMap(([table, words]) =>
  Object.entries(words).map(([key, value]) => [`${table}.${key}`, value] as const),
)

describe('the tables of words', () => {
  it('say each figure that they are given', () => {
    const sentences = rows.filter(([, value]) => typeof value === 'function')
    expect(sentences.length).toBeGreaterThan(100)
    for (const [name, value] of sentences) {
      const say = value as unknown as (...args: unknown[]) => string
      // figures that are unlike one another: one that is left out would be missed
      const figures = Array.from({ length: say.length }, (_, i) => 7103 + i)
      const said = say(...figures).replaceAll('\u00a0', '')
      for (const f of figures) {
        // what decides between two wordings is said by the words themselves
        if (say(...figures.map((v) => (v === f ? false : v))) !== say(...figures) && !said.includes(String(f))) continue
        expect(said, name).toContain(String(f))
      }
    }
  })
  it('have no empty entry', () => {
    for (const [name, value] of rows) if (typeof value === 'string') expect(value.trim(), name).not.toBe('')
  })
  it('are lengthened whole, with figures and nested tables, to see how the pages bear it', () => {
    const long = spread({
      scans: 'Scans',
      left: (n: number) => `${n} left`,
      terms: { p: { name: 'p', means: 'chance' } },
    })
    expect(long.scans).toBe('Scáns··')
    expect(long.left(3)).toBe('3 léft··')
    expect(long.terms.p.means).toBe('cháncé··')
  })
})
