import { useQuery } from '@tanstack/react-query'
import { Input, InputNumber, Select } from 'antd'
import { api, unwrap } from '../api/client'
import { UNIT_NAMES } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Field, type Part } from './context'

/** Unit, reference, heights, local origin. */
export function CoordinatesPart({ brief, edit, wrong, set }: Part) {
  const reference = useQuery({
    queryKey: ['reference', brief.epsg],
    queryFn: async () =>
      unwrap(await api.GET('/api/references/{code}', { params: { path: { code: brief.epsg ?? 0 } } })),
    enabled: !!brief.epsg,
  })
  return (
    <>
      <Head>Coordinates and units</Head>
      <div className="fields">
        <Field name="unit" label="Lengths are shown and entered in" wrong={wrong}>
          <Select
            aria-label="Unit"
            value={brief.unit}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(unit) => set({ unit })}
            options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label: `${label} (${value})` }))}
          />
        </Field>
        <Field name="epsg" label="EPSG code (empty: local grid)" wrong={wrong}>
          <InputNumber
            aria-label="EPSG code"
            controls={false}
            style={{ width: '100%' }}
            value={brief.epsg}
            disabled={!edit}
            onChange={(v) => set({ epsg: v == null ? null : Number(v) })}
          />
          <small className={reference.isError ? 'warn' : 'faint'}>
            {brief.epsg ? (reference.data?.name ?? reference.error?.message) : 'local grid'}
          </small>
        </Field>
        <Field name="output" label="Coordinates handed over" wrong={wrong}>
          <Select
            aria-label="Coordinates handed over"
            value={brief.output}
            disabled={!edit || !brief.epsg}
            style={{ width: '100%' }}
            onChange={(output) => set({ output })}
            options={[
              { value: 'grid', label: 'grid: as the reference has them' },
              { value: 'ground', label: 'ground: distances as on site' },
            ]}
          />
        </Field>
      </div>
      <details className="more">
        <summary>Heights and local origin</summary>
        <div className="fields">
          <Field name="vertical" label="Vertical reference" wrong={wrong}>
            <Input
              aria-label="Vertical reference"
              placeholder="name of the height system"
              value={brief.vertical}
              disabled={!edit}
              onChange={(e) => set({ vertical: e.target.value })}
            />
          </Field>
          <Field name="undulation" label="Geoid over ellipsoid (empty: not known)" wrong={wrong}>
            <LengthInput
              unit={brief.unit}
              label="Geoid over ellipsoid"
              value={brief.undulation}
              disabled={!edit || !brief.epsg}
              onChange={(undulation) => set({ undulation })}
            />
          </Field>
          {(['E', 'N', 'H'] as const).map((axis, i) => (
            <Field key={axis} name="origin" label={`Local origin on the grid, ${axis}`} wrong={wrong}>
              <LengthInput
                label={`Origin ${axis}`}
                unit={brief.unit}
                value={brief.origin[i]}
                disabled={!edit}
                onChange={(v) => set({ origin: brief.origin.map((o, k) => (k === i ? (v ?? 0) : o)) })}
              />
            </Field>
          ))}
        </div>
      </details>
    </>
  )
}
