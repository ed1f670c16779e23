// @vitest-environment node
import { expect, it } from 'vitest'
import { parse, print, withPicks } from './picks'

it('carries any name through the address', () => {
  const picks = [
    { kind: 'target', name: 'K3, north: “a”/b' },
    { kind: 'station', name: 'Насосная 2' },
  ]
  expect(parse(print(picks))).toEqual(picks)
  const url = new URL(withPicks('/jobs/1/register', picks), 'http://x')
  expect(parse(url.searchParams.get('pick'))).toEqual(picks)
})

it('reads no nonsense out of an address', () => {
  expect(parse(null)).toEqual([])
  expect(parse('')).toEqual([])
  expect(parse('nothing')).toEqual([])
  expect(parse('target:%E0%A4%A')).toEqual([{ kind: 'target', name: '%E0%A4%A' }])
  expect(withPicks('/a', [])).toBe('/a')
})
