import { Button, Input, Segmented, Select, Upload } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useAsk, useChange, useJob } from '../lib/hooks'
import { UNIT_NAMES, useUnits } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { georeference as words } from '../words'
import { Preview } from './Preview'

/** A control file: what was understood is shown before anything is stored. */
export function ControlFile() {
  const job = useJob()
  const u = useUnits()
  const [text, setText] = useState('')
  const [order, setOrder] = useState<'auto' | 'ENH' | 'NEH'>('auto')
  const [unit, setUnit] = useState(u.code)
  const [sigmaH, setSigmaH] = useState<number | null>(0.002)
  const [sigmaV, setSigmaV] = useState<number | null>(0.002)
  const [preview, setPreview] = useState<Schema['ControlPreview'] | null>(null)
  const [wrong, setWrong] = useState('')
  const body = {
    text,
    order: order === 'auto' ? null : order,
    unit,
    sigma_h: sigmaH ?? 0,
    sigma_v: sigmaV ?? 0,
    replace: false,
  }
  const path = { params: { path: { job: job.id } } }
  const look = useAsk(async (b: typeof body) => {
    try {
      setPreview(unwrap(await api.POST('/api/jobs/{job}/control/preview', { ...path, body: b })))
      setWrong('')
    } catch (e) {
      setPreview(null)
      setWrong((e as Error).message)
    }
  })
  const store = useChange(
    async () => unwrap(await api.POST('/api/jobs/{job}/control', { ...path, body })),
    () => {
      setText('')
      setPreview(null)
    },
  )
  const put = (t: string) => {
    setText(t)
    setPreview(null)
    setWrong('')
  }
  return (
    <>
      <Head aside={words.nameAndEN}>{words.controlFile}</Head>
      <Input.TextArea
        aria-label={words.controlText}
        rows={3}
        value={text}
        onChange={(e) => put(e.target.value)}
        placeholder={words.pasteHereForExample}
      />
      <div className="bar">
        <Upload
          accept=".csv,.txt"
          showUploadList={false}
          beforeUpload={(f) => {
            void f.text().then(put)
            return false
          }}
        >
          <Button>{words.openFile}</Button>
        </Upload>
        <Segmented<'auto' | 'ENH' | 'NEH'>
          value={order}
          onChange={(v) => {
            setOrder(v)
            setPreview(null)
          }}
          options={[
            { value: 'auto', label: words.byColumnHeading },
            { value: 'ENH', label: 'E N H' },
            { value: 'NEH', label: 'N E H' },
          ]}
        />
        <Select
          aria-label={words.unitOfTheFile}
          value={unit}
          onChange={(v) => {
            setUnit(v)
            setPreview(null)
          }}
          style={{ width: 190 }}
          options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label: `${label} (${value})` }))}
        />
        <span className="faint">1σ</span>
        <div style={{ width: 96 }}>
          <LengthInput small label={words.sigmaHorizontal} value={sigmaH} onChange={setSigmaH} />
        </div>
        <div style={{ width: 96 }}>
          <LengthInput small label={words.sigmaVertical} value={sigmaV} onChange={setSigmaV} />
        </div>
        <Button disabled={!text.trim()} onClick={() => look.mutate(body)}>
          {words.preview}
        </Button>
      </div>
      {wrong && (
        <p role="alert" style={{ color: 'var(--red)' }}>
          {wrong}
        </p>
      )}
      {preview && <Preview preview={preview} storing={store.isPending} onStore={() => store.mutate(undefined)} />}
    </>
  )
}
