import { Button, Input, InputNumber } from 'antd'
import type { ReactNode } from 'react'
import { settings } from '../../lib/settings'
import { days as words } from '../../words'
import { clock, seconds } from '../time'

/** A time of day. */
export function Time({
  label,
  value,
  edit,
  onChange,
}: {
  label: string
  value: number
  edit: boolean
  onChange: (s: number) => void
}) {
  return (
    <Input
      type="time"
      aria-label={label}
      value={clock(value)}
      disabled={!edit}
      style={{ width: 96 }}
      onChange={(e) => {
        const s = seconds(e.target.value)
        if (s !== null) onChange(s)
      }}
    />
  )
}

/** A number with its unit; `per` of what is kept make one of it. */
export function Amount(p: {
  label: string
  value: number | null | undefined
  unit: string
  per?: number
  digits?: number
  edit: boolean
  least?: number
  width?: number
  onChange: (v: number | null) => void
}) {
  const per = p.per ?? 1
  return (
    <InputNumber
      aria-label={p.label}
      value={p.value == null ? null : Number((p.value / per).toFixed(p.digits ?? 1))}
      min={p.least ?? 0}
      disabled={!p.edit}
      controls={false}
      decimalSeparator={settings().decimal}
      suffix={p.unit}
      style={{ width: p.width ?? '100%' }}
      onChange={(v) => p.onChange(v == null ? null : Number(v) * per)}
    />
  )
}

/** A field with its name. */
export const Named = ({ label, children }: { label: string; children: ReactNode }) => (
  <div className="field">
    <span className="label">{label}</span>
    {children}
  </div>
)

/** Things one under another, that can be added and taken away. */
export function Rows<T>({
  of,
  edit,
  add,
  name,
  onChange,
  children,
}: {
  of: T[]
  edit: boolean
  add: { label: string; make: () => T }
  name: (t: T) => string
  onChange: (of: T[]) => void
  children: (t: T, put: (part: Partial<T>) => void) => ReactNode
}) {
  return (
    <>
      {of.map((t, k) => (
        <div key={`${k}`} className="bar day-entry">
          {children(t, (part) => onChange(of.map((o, i) => (i === k ? { ...o, ...part } : o))))}
          {edit && (
            <Button
              type="text"
              size="small"
              aria-label={words.remove(name(t))}
              onClick={() => onChange(of.filter((_, i) => i !== k))}
            >
              ×
            </Button>
          )}
        </div>
      ))}
      {edit && (
        <Button size="small" onClick={() => onChange([...of, add.make()])}>
          {add.label}
        </Button>
      )}
    </>
  )
}
