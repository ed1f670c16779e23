import { num, span } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
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
    [words.error95(u.small), (w) => (w.error == null ? '–' : u.err(w.error))],
  ]
  return (
    <>
      <Head aside={words.asThePlanHasIt}>{words.ways}</Head>
      <table className="ledger" aria-label={words.ways}>
        <thead>
          <tr>
            <th />
            {of.map((w) => (
              <th key={w.way} scope="col" className="num">
                {names[w.way]}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, cell]) => (
            <tr key={name}>
              <td>{name}</td>
              {of.map((w) => (
                <td key={w.way} className="num">
                  {cell(w)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}
