// @vitest-environment node
import { readFileSync, writeFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { PAIRS, PALETTES, ratio } from './palette'

it('measures contrast as WCAG does', () => {
  expect(ratio('#000000', '#ffffff')).toBeCloseTo(21, 6)
  expect(ratio('#777777', '#ffffff')).toBeCloseTo(4.478, 3)
})

const rows = Object.entries(PALETTES).flatMap(([theme, p]) =>
  PAIRS.map((q) => ({ theme, ...q, is: ratio(p[q.of], p[q.on]) })),
)
it.each(rows)('$theme: $of on $on', ({ is, least }) => {
  expect(is).toBeGreaterThanOrEqual(least)
})

it('is what docs/contrast.md says', () => {
  const table = [
    '# Contrast of the page',
    '',
    'Text at least 4.5, marks, borders and focus at least 3 (WCAG 2.2 AA). Made from `web/src/lib/palette.ts` and checked by its test.',
    '',
    '| sheet | what | on | ratio | asked |',
    '|---|---|---|---|---|',
    ...rows.map((r) => `| ${r.theme} | ${r.of} | ${r.on} | ${r.is.toFixed(2)} | ${r.least} |`),
    '',
  ].join('\n')
  const path = '../docs/contrast.md'
  if (process.env.WRITE_CONTRAST) writeFileSync(path, table)
  expect(readFileSync(path, 'utf8')).toBe(table)
})

it('leaves no colour to the style sheet but what data is drawn in', () => {
  const css = readFileSync('src/styles.css', 'utf8')
  expect([...css.matchAll(/#[0-9a-f]{3,8}\b/gi)].length).toBeLessThanOrEqual(13)
})
