import { Input } from 'antd'
import { useState } from 'react'
import { brief as words } from '../words'
import type { Part } from './context'
import { Figures, SharedErrors } from './instrument/Figures'
import { inputsOf, type Profile } from './instrument/inputs'
import { Library } from './instrument/Library'

/** The scanner: chosen from the library or entered, every figure open to change. */
export function InstrumentPart({
  profile,
  unit,
  edit,
  onChange,
  wrong,
}: {
  profile: Profile
  unit: string
  edit: boolean
  onChange: (p: Profile) => void
  wrong: Part['wrong']
}) {
  const [said, say] = useState('')
  const put = (part: Partial<Profile>) => {
    say('')
    onChange({ ...profile, ...part })
  }
  const editing = { profile, unit, edit, wrong, put }
  const { field, length, number } = inputsOf(editing)
  return (
    <>
      <Library profile={profile} edit={edit} said={said} say={say} onTake={onChange} />
      <div className="fields">
        {field(
          'name',
          words.instrumentProfile,
          <Input
            aria-label={words.instrumentProfile}
            value={profile.name}
            disabled={!edit}
            onChange={(e) => put({ name: e.target.value })}
          />,
        )}
        {length('max_range', words.longestRange, false)}
        {number('step', words.angularIncrement, 1e-3, 'mrad', 4)}
        {number('scan_time', words.oneScanAtThat, 1, 's', 1)}
      </div>
      <details className="more" open={!!wrong?.field?.startsWith('instrument.')}>
        <summary>{words.allFiguresOfThe}</summary>
        <Figures {...editing} />
        <SharedErrors {...editing} />
      </details>
    </>
  )
}
