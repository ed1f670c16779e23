import { num, span } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { SmallTable } from '../../parts/SmallTable'
import { walks as words } from '../../words'
import type { Walks } from './useWalks'

type Way = Walks['ways'][number]

/** Tripod, mobile, or both, beside one another. */
export function Ways({ of }: { of: Way[] }) {
  const u = useUnits()
  const names = { tripod: words.tripod, mobile: words.mobile, both: words.both }
  const rows: [string, (w: Way) => string][] = [
    [words.onSite, (w) => span(w.site)],
    [words.carried(u.code), (w) => u.len(w.carried, 0)],
    [words.office, (w) => span(w.office)],
    [words.scans, (w) => String(w.scans)],
    [words.shown, (w) => (w.once == null ? '–' : `${num(100 * w.once, 1)} %`)],
    [words.error95(u.small), (w) => (w.error == null ? '–' : u.about(w.error))],
  ]
  return (
    <>
      <Head aside={words.asThePlanHasIt}>{words.ways}</Head>
      <SmallTable
        name={words.ways}
        heads={['', ...of.map((w) => ({ num: names[w.way] }))]}
        rows={rows.map(([name, cell]) => ({ key: name, cells: [name, ...of.map(cell)] }))}
      />
    </>
  )
}
