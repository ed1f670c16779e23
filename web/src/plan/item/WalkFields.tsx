import { InputNumber, Select } from 'antd'
import { useRead } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { plan as words } from '../../words'
import { Field, type ItemPart } from './fields'

/** What a walk is walked with, and how fast at most. */
export function WalkFields({ d, edit, put }: ItemPart) {
  const u = useUnits()
  const walks = useRead('/api/jobs/{job}/plan/walks')
  return (
    <>
      <Field name={words.mobileUnit}>
        <Select
          aria-label={words.mobileUnit}
          value={d.unit}
          disabled={!edit}
          style={{ width: '100%' }}
          onChange={(unit) => put({ unit })}
          options={(walks.data?.units ?? []).map((x) => ({ value: x.name }))}
        />
      </Field>
      <Field name={words.paceAtMost(u.code)}>
        <InputNumber
          aria-label={words.paceAtMost(u.code)}
          value={d.pace == null ? null : d.pace / u.metres}
          placeholder={words.asItsProfile}
          min={0.1 / u.metres}
          max={3 / u.metres}
          step={0.1}
          controls={false}
          disabled={!edit}
          style={{ width: '100%' }}
          onChange={(v) => put({ pace: v == null ? undefined : v * u.metres })}
        />
      </Field>
    </>
  )
}
