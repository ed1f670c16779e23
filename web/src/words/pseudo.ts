const ACCENTS: Record<string, string> = {
  a: 'á',
  e: 'é',
  i: 'í',
  o: 'ó',
  u: 'ú',
  A: 'Á',
  E: 'É',
  I: 'Í',
  O: 'Ó',
  U: 'Ú',
}

/** Longer, and to be told from words that came past the tables: “Scans” becomes “Scáns··”. */
const lengthen = (s: string) => s.replace(/[aeiouAEIOU]/g, (c) => ACCENTS[c] ?? c) + '·'.repeat(Math.ceil(s.length / 4))

/** A table in a language that nobody speaks: how the pages bear longer words, and which words are in no table. */
export function spread<T extends object>(table: T): T {
  const entries = Object.entries(table).map(([key, value]: [string, unknown]) => {
    if (typeof value === 'string') return [key, lengthen(value)]
    if (typeof value === 'function') {
      const say = value as (...args: unknown[]) => string
      return [key, (...args: unknown[]) => lengthen(say(...args))]
    }
    return [key, typeof value === 'object' && value ? spread(value) : value]
  })
  return Object.fromEntries(entries) as T
}
