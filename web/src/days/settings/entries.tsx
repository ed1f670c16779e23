import { Button, Input, InputNumber } from 'antd'
import { type ReactNode, useState } from 'react'
import { settings } from '../../lib/settings'
import { days as words } from '../../words'
import { clock, seconds } from '../time'

/** A text that is kept when it says something: as long as it does not, it stands as it was typed. */
function Typed(p: {
  label: string
  text: string
  width: number
  edit: boolean
  hint: string
  take: (text: string) => boolean
}) {
  const [typed, setTyped] = useState<string | null>(null)
  return (
    <Input
      aria-label={p.label}
      value={typed ?? p.text}
      disabled={!p.edit}
      placeholder={p.hint}
      status={typed === null ? undefined : 'error'}
      style={{ width: p.width }}
      onChange={(e) => setTyped(p.take(e.target.value) ? null : e.target.value)}
      onBlur={() => setTyped(null)}
    />
  )
}

/** A time of day, `hh:mm`. */
export function Time(p: { label: string; value: number; edit: boolean; onChange: (s: number) => void }) {
  const take = (text: string) => {
    const s = /^\d{2}:\d{2}$/.test(text) ? seconds(text) : null
    if (s !== null) p.onChange(s)
    return s !== null
  }
  return <Typed label={p.label} text={clock(p.value)} width={66} edit={p.edit} hint="08:00" take={take} />
}

/** A date, `yyyy-mm-dd`. */
export function Day(p: { label: string; value: string; edit: boolean; onChange: (d: string) => void }) {
  const take = (text: string) => {
    const ok = /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(Date.parse(text))
    if (ok) p.onChange(text)
    return ok
  }
  return <Typed label={p.label} text={p.value} width={112} edit={p.edit} hint="2030-01-31" take={take} />
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
