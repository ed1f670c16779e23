import Papa from 'papaparse'
import { isValidElement, type ReactNode } from 'react'
import { terms } from '../words'

/** A column of a ledger. What is sorted, searched and copied is the value, or else the words of the cell. */
export interface Column<T> {
  head: ReactNode
  cell: (row: T) => ReactNode
  num?: boolean
  width?: number
  value?: (row: T) => string | number | null | undefined
}

/** The words of a node, as they would be read. */
export function textOf(node: ReactNode): string {
  if (node == null || typeof node === 'boolean') return ''
  if (typeof node === 'string' || typeof node === 'number' || typeof node === 'bigint') return String(node)
  if (Array.isArray(node)) return node.map(textOf).join('')
  if (isValidElement<{ children?: ReactNode; value?: unknown; of?: unknown }>(node)) {
    const { children, value, of } = node.props
    if (children != null) return node.type === 'br' ? ' ' : textOf(children)
    if (typeof value === 'string' || typeof value === 'number') return String(value)
    // a term of the field, said as it is called
    if (typeof of === 'string' && of in terms) return terms[of as keyof typeof terms].name
    return node.type === 'br' ? ' ' : ''
  }
  return ''
}

/** The words of a whole row, figures apart, read once: searching goes through thousands of rows with every letter. */
const read = new WeakMap<object, { columns: unknown; text: string }>()
function wordsOf<T>(row: T, columns: Column<T>[]): string {
  const key = row as object
  const known = read.get(key)
  if (known?.columns === columns) return known.text
  const text = columns
    .filter((c) => !c.num)
    .map((c) => String(c.value?.(row) ?? textOf(c.cell(row))))
    .join(' ')
    .toLowerCase()
  read.set(key, { columns, text })
  return text
}

/** What a cell is worth: a number where it reads as one. */
export function valueOf<T>(column: Column<T>, row: T): string | number | null {
  if (column.value) return column.value(row) ?? null
  const text = textOf(column.cell(row)).trim()
  if (!column.num) return text
  const number = Number.parseFloat(
    text
      .replaceAll('\u00a0', '')
      .replace('−', '-')
      .replace(',', '.')
      .replace(/^[<>±≥≤] */, ''),
  )
  return Number.isNaN(number) ? null : number
}

export interface Sort {
  column: number
  down: boolean
}

const byName = new Intl.Collator('en', { numeric: true, sensitivity: 'base' }).compare

/** Rows that hold every word of the search, in the order asked for; what has no value comes last either way. */
export function arrange<T>(rows: T[], columns: Column<T>[], sort: Sort | null, search: string): T[] {
  const asked = search.toLowerCase().split(/\s+/).filter(Boolean)
  let out = rows
  if (asked.length > 0) out = rows.filter((row) => asked.every((w) => wordsOf(row, columns).includes(w)))
  const by = sort && columns[sort.column]
  if (!by) return out
  const keyed = out.map((row) => ({ row, key: valueOf(by, row) }))
  // names repeat: each is compared with the others once, and rows by the place of theirs
  const named = [...new Set(keyed.flatMap((k) => (typeof k.key === 'string' ? [k.key] : [])))]
  const place = new Map(named.sort(byName).map((name, k) => [name, k]))
  const rank = (key: string | number) => (typeof key === 'number' ? key : place.get(key)!)
  keyed.sort((a, b) => {
    if (a.key == null || a.key === '') return b.key == null || b.key === '' ? 0 : 1
    if (b.key == null || b.key === '') return -1
    const alike = typeof a.key === typeof b.key
    const order = alike ? rank(a.key) - rank(b.key) : byName(String(a.key), String(b.key))
    return sort.down ? -order : order
  })
  return keyed.map((k) => k.row)
}

/** Rows as text for a spreadsheet: no name runs as a formula. */
export function asText<T>(rows: T[], columns: Column<T>[], delimiter: ',' | '\t'): string {
  // figures as they are shown, but with the minus that a spreadsheet reads
  const figure = (text: string) => text.replaceAll('−', '-').replaceAll('\u00a0', '')
  const cells = rows.map((row) =>
    columns.map((c) => (c.num ? figure(textOf(c.cell(row)).trim()) : (c.value?.(row) ?? textOf(c.cell(row)).trim()))),
  )
  return Papa.unparse([columns.map((c) => textOf(c.head).trim()), ...cells], {
    delimiter,
    newline: '\n',
    // a minus before a number is no formula
    escapeFormulae: /^(?:[=+@\t\r]|-(?![\d.,]))/,
  })
}

/** Widths by the words that stand in a column, so that rows that come into view do not move them. */
export function widths<T>(rows: T[], columns: Column<T>[]): number[] {
  const step = Math.max(1, Math.floor(rows.length / 60))
  const sample = rows.filter((_, k) => k % step === 0)
  return columns.map((c) => {
    const longest = Math.max(textOf(c.head).length * 0.85, ...sample.map((r) => textOf(c.cell(r)).length))
    return c.width ?? Math.min(Math.max(longest, 3) * 7.4 + 16, 340)
  })
}
