import { Button } from 'antd'
import { when } from '../../lib/format'
import { type Units, useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { field as words } from '../../words'
import { differences, type Entry } from './journal'
import type { Station } from './OnSite'
import type { Journal } from './useJournal'

/** A leaf as one would say it: times and lengths in the reader's units. */
function said(path: string, v: unknown, u: Units): string {
  if (v === undefined || v === null || v === '') return words.none
  if (typeof v === 'number') return path.startsWith('height.') ? `${u.len(v)} ${u.code}` : String(v)
  if (typeof v === 'boolean') return v ? words.yes : words.no
  if (typeof v === 'string') return path === 'started' || path === 'ended' ? when(v) : v
  // targets and sights: one after the other
  if (Array.isArray(v)) return v.map((x) => Object.values(x as object).join(' ')).join(', ')
  return JSON.stringify(v)
}
const leaf = (of: unknown, path: string) =>
  path.split('.').reduce<unknown>((v, k) => (v as Record<string, unknown> | null)?.[k], of)
const NAMES: Record<string, string> = words.parts

/** What two people noted about the same without having seen one another, side by side: nothing is overwritten, somebody
 * chooses. */
export function Versions({ journal, stations, edit }: { journal: Journal; stations: Station[]; edit: boolean }) {
  const u = useUnits()
  const subjects = new Map<string, Entry[]>()
  for (const e of journal.entries) if (e.stands) subjects.set(e.subject, [...(subjects.get(e.subject) ?? []), e])
  const torn = [...subjects].filter(([, all]) => all.length > 1)
  const name = (subject: string) => {
    const station = stations.find((s) => subject === `station ${s.id}`)
    return station ? words.stationNamed(station.name) : subject
  }
  return torn.map(([subject, all]) => {
    const [first, ...others] = all
    const paths = others.flatMap((o) => differences(first?.fact.data, o.fact.data)).map((d) => d.path)
    return (
      <section key={subject} className="card doubtful" aria-label={words.versionsOf(name(subject))}>
        <Head aside={words.nothingOverwritten}>{words.versionsOf(name(subject))}</Head>
        <div className="site-versions">
          {all.map((e) => (
            <article key={e.id}>
              <h4>
                {e.by}, {e.device || words.thisDevice} <span className="faint">{when(e.at)}</span>
              </h4>
              <dl>
                {[...new Set(paths)].map((p) => (
                  <div key={p}>
                    <dt>{NAMES[p] ?? p.replaceAll('_', ' ')}</dt>
                    <dd>{said(p, leaf(e.fact.data, p), u)}</dd>
                  </div>
                ))}
              </dl>
              {edit && <Button onClick={() => void journal.note(e.fact, [], all)}>{words.thisHolds}</Button>}
            </article>
          ))}
        </div>
      </section>
    )
  })
}
