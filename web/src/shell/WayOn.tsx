import { Link } from 'react-router-dom'
import type { Schema } from '../api/client'
import { canEdit, useJob } from '../lib/hooks'
import { usePicks, withPicks } from '../lib/picks'
import { capital, type Sheet, SHEET_NAMES } from './sheets'
import { shell as words } from '../words'

/** What there is to do on a sheet that is not done, and what has to be there before. */
const TO_DO: Record<Sheet, string> = {
  brief: words.sayWhatAccuracyIs,
  plan: words.placeStationsOnThe,
  field: words.takeThePlannedStations,
  register: words.findTheTargetsAnd,
  georeference: words.bringTheControlAnd,
  check: words.seeWhichRequirementsAre,
  draw: words.agreeWithWhat,
  deliver: words.makeThePackageSign,
}
/** What there is to do where something is in the way. */
const TO_MEND: Partial<Record<Sheet, string>> = {
  register: words.decideWhatIsOpen,
  georeference: words.readTheRemarksFit,
  check: words.seeWhichRequirementsAreNot,
  draw: words.drawItAgain,
  deliver: words.theJobChangedSince,
}
const NEEDS: Partial<Record<Sheet, string>> = {
  register: words.twoScansAreNeeded,
  georeference: words.theBlockHasTo,
  check: words.nothingIsAskedFor,
  draw: words.theBlockHasToStand,
  deliver: words.aPackageCanBe,
}

/** The same in a job of passes alone. */
const OF_WALKS: Partial<Record<Sheet, string>> = {
  field: words.bringTheFilesOfThePasses,
  register: words.takeTheDriftOut,
  georeference: words.holdThePassesByControl,
}
const MEND_WALKS: Partial<Record<Sheet, string>> = {
  register: words.correctThePassesAgain,
}

const doing = (s: Sheet, state: string | undefined, walked: boolean) =>
  (state === 'attention' && ((walked && MEND_WALKS[s]) || TO_MEND[s])) || (walked && OF_WALKS[s]) || TO_DO[s]

/** The foot of a sheet: what comes next, and why it cannot be done yet. */
export function WayOn({ sheet, summary }: { sheet: Sheet; summary?: Schema['SummaryDto'] }) {
  const job = useJob()
  const [picks] = usePicks()
  if (!summary || job.role === 'client') return null
  const state = (s: Sheet) => summary.sheets.find((x) => x.sheet === s)
  const open = SHEET_NAMES.filter((s) => state(s)?.state !== 'done')
  const here = state(sheet)
  // the first thing that is open, this sheet's own first
  const next = here?.state === 'open' || here?.state === 'attention' ? sheet : open[0]
  const waiting = here?.state === 'waiting' ? NEEDS[sheet] : undefined
  return (
    <nav className="way-on" aria-label={words.whatComesNext}>
      <strong>{next ? words.next : words.done}</strong>
      {waiting && <span className="warn">{waiting}</span>}
      {!next && <span>{words.thePackageIsSigned}</span>}
      {next === sheet && (
        <span>
          {here?.state === 'attention' ? `${capital(here.note)}. ` : ''}
          {canEdit(job) ? doing(sheet, here?.state, summary.walked) : words.somebodyWhoMayChange}
        </span>
      )}
      {next && next !== sheet && (
        <span>
          <Link to={withPicks(`/jobs/${job.id}/${next}`, picks)}>{words.sheetNames[next]}</Link>:{' '}
          {doing(next, state(next)?.state, summary.walked)}
        </span>
      )}
    </nav>
  )
}
