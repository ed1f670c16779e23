import { when } from '../../lib/format'
import { useJob } from '../../lib/hooks'
import { Head } from '../../parts'
import { field as words } from '../../words'
import type { Entry } from './journal'
import type { Journal } from './useJournal'

/** An entry in a line. */
function line(e: Entry): string {
  switch (e.fact.kind) {
    case 'visit':
      return words.didVisit(e.fact.data.note ?? '')
    case 'tick':
      return words.didTick(e.fact.data.item, e.fact.data.done)
    case 'note':
      return words.didNote(e.fact.data.text ?? '')
    case 'occupied':
      return words.didOccupy(e.fact.data.mark, e.fact.data.epochs.length)
    case 'instrument':
      return words.didCheck(e.fact.data.instrument)
    case 'power_lost':
      return words.powerWasLost
    case 'shots':
      return words.didShots(e.fact.data.over?.mark ?? '', e.fact.data.shots.length)
    case 'measured':
      return words.didMeasure(e.fact.data.name)
    case 'camera':
      return words.didCamera(e.fact.data.mounting)
    case 'policy':
      return words.didPolicy(e.fact.data.instrument, words.policies[e.fact.data.when])
    case 'by_hand':
      return words.didByHand
  }
}

/** Everything that was noted, the newest first. Nothing is ever changed: what was corrected says so. */
export function Record({ journal }: { journal: Journal }) {
  const job = useJob()
  const all = [...journal.entries].reverse()
  return (
    <details className="site-part">
      <summary>
        <Head aside={words.entries(all.length)}>{words.record}</Head>
      </summary>
      <a href={`/api/jobs/${job.id}/field/record.csv`} download>
        {words.recordAsTable}
      </a>{' '}
      <a href={`/api/jobs/${job.id}/field/record.pdf`} download>
        {words.recordOnPaper}
      </a>
      <ol className="site-record" aria-label={words.record}>
        {all.map((e) => (
          <li key={e.id} className={e.stands ? '' : 'faint'}>
            <span>{when(e.at)}</span> {e.by}: {line(e)}
            {!e.stands && ` · ${words.corrected}`}
            {e.unsent && ` · ${words.waitsHere}`}
            {Math.abs(e.ahead) > 60 && ` · ${words.clockWrong(Math.round(e.ahead / 60))}`}
            {e.remarks.map((r) => (
              <p className="warn" key={r}>
                {r}
              </p>
            ))}
          </li>
        ))}
      </ol>
    </details>
  )
}
