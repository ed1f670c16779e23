import { Link } from 'react-router-dom'
import type { Schema } from '../api/client'
import { canEdit, useJob } from '../lib/hooks'
import { usePicks, withPicks } from '../lib/picks'
import { capital, type Sheet, SHEET_NAMES } from './sheets'

/** What there is to do on a sheet that is not done, and what has to be there before. */
const TO_DO: Record<Sheet, string> = {
  brief: 'Say what accuracy is required: without it nothing can be judged.',
  plan: 'Place stations on the plan, or let them be proposed.',
  field: 'Take the planned stations, or bring the scan files.',
  register: 'Find the targets and adjust the block.',
  georeference: 'Bring the control and fit the block to it; hold some back as check points.',
  check: 'See which requirements are met and what is missing for the others.',
  deliver: 'Make the package, sign it, and have another person check it.',
}
/** What there is to do where something is in the way. */
const TO_MEND: Partial<Record<Sheet, string>> = {
  register: 'Decide what is open, or run again what is out of date.',
  georeference: 'Read the remarks; fit again what is out of date.',
  check: 'See which requirements are not met, and why.',
  deliver: 'The job changed since the package: make a new one.',
}
const NEEDS: Partial<Record<Sheet, string>> = {
  register: 'Two scans are needed before they can be registered.',
  georeference: 'The block has to be adjusted before it can be fitted to control.',
  check: 'Nothing is asked for on the brief yet, so there is nothing to check.',
  deliver: 'A package can be made once the block is on the grid.',
}

const doing = (s: Sheet, state?: string) => (state === 'attention' && TO_MEND[s]) || TO_DO[s]

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
    <nav className="way-on" aria-label="What comes next">
      <strong>{next ? 'Next' : 'Done'}</strong>
      {waiting && <span className="warn">{waiting}</span>}
      {!next && <span>The package is signed. Nothing is open in this job.</span>}
      {next === sheet && (
        <span>
          {here?.state === 'attention' ? `${capital(here.note)}. ` : ''}
          {canEdit(job) ? doing(sheet, here?.state) : 'Somebody who may change the work does this.'}
        </span>
      )}
      {next && next !== sheet && (
        <span>
          <Link to={withPicks(`/jobs/${job.id}/${next}`, picks)}>{capital(next)}</Link>:{' '}
          {doing(next, state(next)?.state)}
        </span>
      )}
    </nav>
  )
}
