import { Button, Select, Upload } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { useChange, useJob } from '../lib/hooks'
import { SliceCloud } from './SliceCloud'
import { plan as words } from '../words'

/** Drawings and pictures that come into the plan. */
export function ImportPart() {
  const job = useJob()
  const [unit, setUnit] = useState('')
  const [said, say] = useState('')
  const imported = useChange(
    async (text: string) =>
      unwrap(
        await api.POST('/api/jobs/{job}/plan/import', {
          params: { path: { job: job.id }, query: { unit: unit || undefined } },
          body: text,
          bodySerializer: (b: string) => b,
          headers: { 'Content-Type': 'application/geo+json' },
        }),
      ),
    (items) => say(words.itemsCameIn(items.length)),
  )
  const underlay = useChange(async (f: File) => {
    const { width, height } = await createImageBitmap(f)
    return unwrap(
      await api.POST('/api/jobs/{job}/plan/underlays', {
        params: { path: { job: job.id }, query: { name: f.name.slice(0, 80), width, height } },
        body: f as never,
        bodySerializer: (b: unknown) => b as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
  })
  return (
    <div className="slices">
      <label>
        {words.unitOfADxf}
        <Select
          aria-label={words.unitOfTheDrawing}
          value={unit}
          onChange={setUnit}
          options={[
            { value: '', label: words.asTheDrawingSays },
            { value: 'm', label: words.metres },
            { value: 'mm', label: words.millimetres },
            { value: 'ft', label: words.internationalFeet },
            { value: 'ftUS', label: words.usSurveyFeet },
            { value: 'in', label: words.inches },
          ]}
        />
      </label>
      <Upload
        accept=".png,.jpg,.jpeg"
        showUploadList={false}
        beforeUpload={(f) => {
          underlay.mutate(f)
          return false
        }}
      >
        <Button>{words.pictureAsUnderlay}</Button>
      </Upload>
      <SliceCloud />
      <Upload
        accept=".geojson,.json,.dxf"
        showUploadList={false}
        beforeUpload={(f) => {
          void f.text().then((t) => imported.mutate(t))
          return false
        }}
      >
        <Button type="primary" loading={imported.isPending}>
          {words.importDxfOrGeojson}
        </Button>
      </Upload>
      <span className="faint" role="status">
        {said}
      </span>
    </div>
  )
}
