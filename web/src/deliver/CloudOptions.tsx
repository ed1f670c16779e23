import { Checkbox } from 'antd'
import { useState } from 'react'
import type { Schema } from '../api/client'
import { useUnits } from '../lib/units'
import { LengthInput } from '../parts/LengthInput'
import { deliver as words } from '../words'

/** How the clouds are written: one file or one a scan, a box, thinned. */
export function CloudOptions({
  options,
  onChange,
}: {
  options: Schema['PackageOptions']
  onChange: (o: Schema['PackageOptions']) => void
}) {
  const u = useUnits()
  const [box, setBox] = useState(false)
  const side = (key: 'clip_min' | 'clip_max', label: string) => (
    <div className="bar">
      <span className="faint" style={{ width: 56 }}>
        {label}
      </span>
      {['E', 'N', 'H'].map((axis, k) => (
        <div key={axis} style={{ width: 170 }}>
          <LengthInput
            label={`${label} ${axis}`}
            value={options[key]?.[k]}
            onChange={(m) =>
              onChange({ ...options, [key]: [0, 1, 2].map((i) => (i === k ? m : (options[key]?.[i] ?? null))) })
            }
          />
        </div>
      ))}
    </div>
  )
  return (
    <>
      <div className="bar">
        <Checkbox checked={!!options.per_scan} onChange={(e) => onChange({ ...options, per_scan: e.target.checked })}>
          {words.aFileForEachScan}
        </Checkbox>
        <Checkbox checked={options.errors ?? true} onChange={(e) => onChange({ ...options, errors: e.target.checked })}>
          {words.withTheir95}
        </Checkbox>
        <span className="faint">{words.thinToOnePoint}</span>
        <div style={{ width: 120 }}>
          <LengthInput
            small
            label={words.thin}
            value={options.thin}
            onChange={(thin) => onChange({ ...options, thin })}
          />
        </div>
        <Checkbox checked={!!options.leave_out} onChange={(e) => onChange({ ...options, leave_out: e.target.checked })}>
          {words.withoutWhatIsTakenOut}
        </Checkbox>
        <Checkbox
          checked={box}
          onChange={(e) => {
            setBox(e.target.checked)
            if (!e.target.checked) onChange({ ...options, clip_min: [null, null, null], clip_max: [null, null, null] })
          }}
        >
          {words.clipToABox(u.code)}
        </Checkbox>
      </div>
      {box && (
        <>
          {side('clip_min', 'Lowest')}
          {side('clip_max', 'Highest')}
        </>
      )}
    </>
  )
}
