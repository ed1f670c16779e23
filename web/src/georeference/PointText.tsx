import { Button, Input, Segmented, Select, Upload } from 'antd'
import { type ReactNode, useState } from 'react'
import { UNIT_NAMES, useUnits } from '../lib/units'
import { LengthInput } from '../parts/LengthInput'
import { georeference as words } from '../words'

export type PointTextBody = ReturnType<typeof usePointText>['body']
type Order = 'auto' | 'ENH' | 'NEH'

/** A point file as it is typed, pasted or opened, and how it is to be read. */
export function usePointText() {
  const u = useUnits()
  const [text, setText] = useState('')
  const [order, setOrder] = useState<Order>('auto')
  const [unit, setUnit] = useState(u.code)
  const [sigmaH, setSigmaH] = useState<number | null>(0.002)
  const [sigmaV, setSigmaV] = useState<number | null>(0.002)
  const body = {
    text,
    order: order === 'auto' ? null : order,
    unit,
    sigma_h: sigmaH ?? 0,
    sigma_v: sigmaV ?? 0,
    replace: false,
  }
  return { body, text, setText, order, setOrder, unit, setUnit, sigmaH, setSigmaH, sigmaV, setSigmaV }
}

/** Its fields. `onChange` is told when what was understood before does not hold any more. */
export function PointText(p: {
  of: ReturnType<typeof usePointText>
  label: string
  onChange: () => void
  children: ReactNode
}) {
  const { of } = p
  const put = (t: string) => {
    of.setText(t)
    p.onChange()
  }
  return (
    <>
      <Input.TextArea
        aria-label={p.label}
        rows={3}
        value={of.text}
        onChange={(e) => put(e.target.value)}
        placeholder={words.pasteHereForExample}
      />
      <div className="bar">
        <Upload
          accept=".csv,.txt,.xml"
          showUploadList={false}
          beforeUpload={(f) => {
            void f.text().then(put)
            return false
          }}
        >
          <Button>{words.openFile}</Button>
        </Upload>
        <Segmented<Order>
          value={of.order}
          onChange={(v) => {
            of.setOrder(v)
            p.onChange()
          }}
          options={[
            { value: 'auto', label: words.byColumnHeading },
            { value: 'ENH', label: 'E N H' },
            { value: 'NEH', label: 'N E H' },
          ]}
        />
        <Select
          aria-label={words.unitOfTheFile}
          value={of.unit}
          onChange={(v) => {
            of.setUnit(v)
            p.onChange()
          }}
          style={{ width: 190 }}
          options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label: `${label} (${value})` }))}
        />
        <span className="faint">1σ</span>
        <div style={{ width: 96 }}>
          <LengthInput small label={words.sigmaHorizontal} value={of.sigmaH} onChange={of.setSigmaH} />
        </div>
        <div style={{ width: 96 }}>
          <LengthInput small label={words.sigmaVertical} value={of.sigmaV} onChange={of.setSigmaV} />
        </div>
        {p.children}
      </div>
    </>
  )
}
