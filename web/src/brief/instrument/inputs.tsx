import { InputNumber } from 'antd'
import type { ReactNode } from 'react'
import type { Schema } from '../../api/client'
import { LengthInput } from '../../parts/LengthInput'
import { Field, type Part } from '../context'

export type Profile = Schema['InstrumentDto']
type Shared = Schema['SystematicErrorsDto']

export interface Editing {
  profile: Profile
  unit: string
  edit: boolean
  wrong: Part['wrong']
  put: (part: Partial<Profile>) => void
}

/** Inputs for the figures of a profile, each bound to its key. */
export function inputsOf({ profile, unit, edit, wrong, put }: Editing) {
  const field = (key: keyof Profile, label: string, input: ReactNode) => (
    <Field key={key} name={`instrument.${key}`} label={label} wrong={wrong}>
      {input}
    </Field>
  )
  /** A figure in a unit of its own: `per` of the stored one; `empty` says what none means. */
  const number = (key: keyof Profile, label: string, per: number, suffix: string, digits: number, empty?: string) => {
    const none = empty ? null : 0
    return field(
      key,
      label,
      <InputNumber
        aria-label={label}
        controls={false}
        style={{ width: '100%' }}
        suffix={suffix}
        placeholder={empty}
        disabled={!edit}
        value={profile[key] == null ? null : Number(((profile[key] as number) / per).toFixed(digits))}
        onChange={(v) => put({ [key]: v == null ? none : Number(v) * per })}
      />,
    )
  }
  const length = (key: keyof Profile, label: string, small = true) =>
    field(
      key,
      label,
      <LengthInput
        small={small}
        unit={unit}
        label={label}
        value={profile[key] as number}
        disabled={!edit}
        onChange={(v) => put({ [key]: v ?? 0 })}
      />,
    )
  /** An error that many points share; a length without `per`. */
  const shared = (key: keyof Shared, label: string, per: number | null, suffix = '') => {
    const change = (v: number | null) => put({ systematic: { ...profile.systematic!, [key]: v ?? 0 } })
    const value = profile.systematic?.[key] ?? 0
    return (
      <Field key={key} name={`instrument.systematic.${key}`} label={label} wrong={wrong}>
        {per == null ? (
          <LengthInput small unit={unit} label={label} value={value} disabled={!edit} onChange={change} />
        ) : (
          <InputNumber
            aria-label={label}
            controls={false}
            style={{ width: '100%' }}
            suffix={suffix}
            disabled={!edit}
            value={Number((value / per).toFixed(3))}
            onChange={(v) => change(v == null ? 0 : Number(v) * per)}
          />
        )}
      </Field>
    )
  }
  return { field, number, length, shared }
}
