import { InputNumber } from 'antd'
import type { ReactNode } from 'react'
import type { Schema } from '../../api/client'
import type { Item } from '../usePlan'

export type Data = Schema['PlanData']
const DEGREE = Math.PI / 180

/** What the fields of an item are given. */
export interface ItemPart {
  item: Item
  items: Item[]
  d: Data
  edit: boolean
  put: (part: Partial<Data>) => void
}

/** A field under its name. */
export const Field = (p: { name: string; children: ReactNode; wide?: boolean }) => (
  <div className="field" style={p.wide ? { gridColumn: 'span 2' } : undefined}>
    <span className="label">{p.name}</span>
    {p.children}
  </div>
)

/** A box to tick, on the line of the fields beside it. */
export const Tick = ({ children }: { children: ReactNode }) => (
  <div className="field" style={{ alignSelf: 'end' }}>
    {children}
  </div>
)

/** An angle, entered in degrees and kept in radians. */
export const Degrees = (p: {
  name: string
  value: number | null | undefined
  edit: boolean
  empty?: string
  onChange: (radians: number | undefined) => void
}) => (
  <Field name={p.name}>
    <InputNumber
      aria-label={p.name}
      value={p.value == null ? null : Number((p.value / DEGREE).toFixed(2))}
      placeholder={p.empty}
      disabled={!p.edit}
      controls={false}
      style={{ width: '100%' }}
      suffix="°"
      onChange={(x) => p.onChange(x == null ? undefined : Number(x) * DEGREE)}
    />
  </Field>
)
