import { Button, Select, Upload } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { plural } from '../lib/format'
import { useChange, useJob } from '../lib/hooks'
import { SliceCloud } from './SliceCloud'

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
    (items) => say(`${plural(items.length, 'item')} came in`),
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
        Unit of a DXF drawing
        <Select
          aria-label="Unit of the drawing"
          value={unit}
          onChange={setUnit}
          options={[
            { value: '', label: 'as the drawing says' },
            { value: 'm', label: 'metres' },
            { value: 'mm', label: 'millimetres' },
            { value: 'ft', label: 'international feet' },
            { value: 'ftUS', label: 'US survey feet' },
            { value: 'in', label: 'inches' },
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
        <Button>Picture as underlay</Button>
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
          Import DXF or GeoJSON
        </Button>
      </Upload>
      <span className="faint" role="status">
        {said}
      </span>
    </div>
  )
}
