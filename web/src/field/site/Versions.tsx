import { Button } from 'antd'
import { when } from '../../lib/format'
import { Head } from '../../parts'
import { field as words } from '../../words'
import { differences, type Entry } from './journal'
import type { Station } from './OnSite'
import type { Journal } from './useJournal'

const said = (v: unknown): string => {
  if (v === undefined || v === null || v === '') return words.none
  return typeof v === 'object' ? JSON.stringify(v) : `${v as string}`
}

/** What two people noted about the same without having seen one another, side by side: nothing is overwritten, somebody
 * chooses. */
export function Versions({ journal, stations, edit }: { journal: Journal; stations: Station[]; edit: boolean }) {
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
                    <dt>{p.replaceAll('_', ' ')}</dt>
                    <dd>
                      {said(
                        p.split('.').reduce<unknown>((v, k) => (v as Record<string, unknown> | null)?.[k], e.fact.data),
                      )}
                    </dd>
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
