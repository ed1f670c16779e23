import { Button } from 'antd'
import { useState } from 'react'
import { ApiError } from '../../api/client'
import { sayError } from '../../lib/errors'
import { useDraft } from '../../lib/draft'
import { canEdit } from '../../lib/hooks'
import { Conflicts } from '../../parts'
import { days as words } from '../../words'
import type { Days, Settings, UseDays } from '../useDays'
import { CrewPart } from './CrewPart'
import { AssumedPart } from './AssumedPart'
import { DatesPart } from './DatesPart'
import { MachinesPart } from './MachinesPart'
import { PassesPart } from './PassesPart'
import { PacePart } from './PacePart'
import { WindowsPart } from './WindowsPart'

/** A part of the settings. */
export interface Part {
  s: Settings
  edit: boolean
  set: (part: Partial<Settings>) => void
}

/** What the days are planned from; kept as a draft until it is saved, beside what others save. */
export function DaySettings({ of, days }: { of: UseDays; days: Days }) {
  const draft = useDraft<Settings>(`vistazo-days ${of.job.id}`, days.settings, days.settings.version ?? 0)
  const [wrong, setWrong] = useState<string | null>(null)
  const edit = canEdit(of.job)
  const part: Part = { s: draft.value, edit, set: (p) => draft.set({ ...draft.value, ...p }) }
  const save = async () => {
    // a job planned for the first time goes by the clock of whoever plans it
    const offset = draft.version === 0 ? -new Date().getTimezoneOffset() : draft.value.offset
    try {
      await of.keep.mutateAsync({ ...draft.value, offset, version: draft.version })
      setWrong(null)
      draft.discard()
    } catch (e) {
      if (e instanceof ApiError && e.status === 422) setWrong(`${e.field ?? ''} ${e.message}`)
      else if (!(e instanceof ApiError)) sayError(String(e))
    }
  }
  return (
    <>
      <Conflicts draft={draft} name={(path) => path} />
      <DatesPart {...part} />
      <CrewPart {...part} />
      <WindowsPart {...part} />
      <PassesPart {...part} />
      <PacePart {...part} />
      <MachinesPart {...part} />
      <AssumedPart {...part} />
      {wrong && (
        <p className="wrong" role="alert">
          {wrong}
        </p>
      )}
      {edit && (
        <div className="bar day-save">
          <Button
            type="primary"
            disabled={!draft.changed || draft.conflicts.length > 0}
            loading={of.keep.isPending}
            onClick={() => void save()}
          >
            {draft.changed ? words.savePlan : words.saved}
          </Button>
          {draft.changed && (
            <Button type="text" onClick={draft.discard}>
              {words.discard}
            </Button>
          )}
        </div>
      )}
    </>
  )
}
