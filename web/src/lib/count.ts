/** A count, in groups of three. */
export const count = (v: number | null | undefined) =>
  v == null ? '–' : new Intl.NumberFormat('en').format(Math.round(v)).replaceAll(',', '\u00a0')

const rules = new Intl.PluralRules('en')
/** “1 scan”, “2 scans”. */
export const plural = (n: number, one: string, many = `${one}s`) =>
  `${count(n)} ${rules.select(n) === 'one' ? one : many}`
