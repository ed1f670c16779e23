// @vitest-environment node
import { expect, it } from 'vitest'
import { dropped } from './dropped'

type Entry = FileSystemEntry
const file = (name: string) =>
  ({ isFile: true, name, file: (ok: (f: File) => void) => ok(new File(['x'], name)) }) as unknown as Entry
/** A folder whose reader hands over a hundred entries at a time, as browsers do. */
const folder = (...inside: Entry[]) =>
  ({
    isFile: false,
    createReader: () => {
      let at = 0
      return { readEntries: (ok: (e: Entry[]) => void) => ok(inside.slice(at, (at += 100))) }
    },
  }) as unknown as Entry
const drop = (...entries: (Entry | null)[]) =>
  ({
    items: entries.map((e) => ({ webkitGetAsEntry: () => e })),
    files: [new File(['x'], 'plain.e57')],
  }) as unknown as DataTransfer

it('takes everything that lies in folders, however many and however deep', async () => {
  const many = Array.from({ length: 250 }, (_, k) => file(`scan-${k}.e57`))
  const found = await dropped(drop(folder(...many, folder(folder(file('deep.laz')))), file('top.e57')))
  expect(found).toHaveLength(252)
  expect(new Set(found.map((f) => f.name)).size).toBe(252)
  expect(found.map((f) => f.name)).toContain('deep.laz')
})

it('takes plain files where a browser knows no folders', async () => {
  expect((await dropped(drop(null))).map((f) => f.name)).toEqual(['plain.e57'])
  expect(await dropped(drop(folder()))).toEqual([])
})
