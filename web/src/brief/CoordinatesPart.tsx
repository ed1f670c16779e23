import { useQuery } from '@tanstack/react-query'
import { Input, InputNumber, Select } from 'antd'
import { api, unwrap } from '../api/client'
import { UNIT_NAMES } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Field, type Part } from './context'
import { brief as words } from '../words'

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
      <Head>{words.coordinatesAndUnits}</Head>
      <div className="fields">
        <Field name="unit" label={words.lengthsAreShownAnd} wrong={wrong}>
          <Select
            aria-label={words.unit}
            value={brief.unit}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(unit) => set({ unit })}
            options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label: `${label} (${value})` }))}
          />
        </Field>
        <Field name="epsg" label={words.epsgCodeEmptyLocal} wrong={wrong}>
          <InputNumber
            aria-label={words.epsgCode}
            controls={false}
            style={{ width: '100%' }}
            value={brief.epsg}
            disabled={!edit}
            onChange={(v) => set({ epsg: v == null ? null : Number(v) })}
          />
          <small className={reference.isError ? 'warn' : 'faint'}>
            {brief.epsg ? (reference.data?.name ?? reference.error?.message) : words.localGrid}
          </small>
        </Field>
        <Field name="output" label={words.coordinatesHandedOver} wrong={wrong}>
          <Select
            aria-label={words.coordinatesHandedOver}
            value={brief.output}
            disabled={!edit || !brief.epsg}
            style={{ width: '100%' }}
            onChange={(output) => set({ output })}
            options={[
              { value: 'grid', label: words.gridAsTheReference },
              { value: 'ground', label: words.groundDistancesAsOn },
            ]}
          />
        </Field>
      </div>
      <details className="more">
        <summary>{words.heightsAndLocalOrigin}</summary>
        <div className="fields">
          <Field name="vertical" label={words.verticalReference} wrong={wrong}>
            <Input
              aria-label={words.verticalReference}
              placeholder={words.nameOfTheHeight}
              value={brief.vertical}
              disabled={!edit}
              onChange={(e) => set({ vertical: e.target.value })}
            />
          </Field>
          <Field name="undulation" label={words.geoidOverEllipsoidEmpty} wrong={wrong}>
            <LengthInput
              unit={brief.unit}
              label={words.geoidOverEllipsoid}
              value={brief.undulation}
              disabled={!edit || !brief.epsg}
              onChange={(undulation) => set({ undulation })}
            />
          </Field>
          {(['E', 'N', 'H'] as const).map((axis, i) => (
            <Field key={axis} name="origin" label={words.localOriginOnThe(axis)} wrong={wrong}>
              <LengthInput
                label={words.origin(axis)}
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
