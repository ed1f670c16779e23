import { InputNumber } from 'antd'
import { settings } from '../lib/settings'
import { METRES, useUnits } from '../lib/units'

/** A length in the job's unit (or millimetres where `small`), kept in metres. */
export function LengthInput(p: {
  value: number | null | undefined
  onChange: (m: number | null) => void
  small?: boolean
  unit?: string
  label: string
  disabled?: boolean
  digits?: number
  /** Stands in a bar. */
  dense?: boolean
}) {
  const u = useUnits()
  const code = p.unit ?? u.code
  const factor = p.small && code === 'm' ? 0.001 : (METRES[code] ?? 1)
  const fine = code === 'm' ? 2 : 5
  const digits = p.digits ?? (p.small ? fine : 3)
  const shown = p.value == null ? null : Number((p.value / factor).toFixed(digits + 2))
  return (
    <InputNumber
      aria-label={p.label}
      size={p.dense ? 'small' : undefined}
      value={shown}
      disabled={p.disabled}
      style={{ width: '100%' }}
      controls={false}
      decimalSeparator={settings().decimal}
      onChange={(v) => p.onChange(v == null ? null : Number(v) * factor)}
      suffix={p.small && code === 'm' ? 'mm' : code}
    />
  )
}
