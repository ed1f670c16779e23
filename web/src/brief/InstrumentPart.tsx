import { Button, Input, InputNumber, Select } from 'antd'
import { type ReactNode, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { useChange } from '../lib/hooks'
import { Confirm, Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Field, type Part } from './context'

type Profile = Schema['InstrumentDto']
type Shared = Schema['SystematicErrorsDto']
const ARC_SECOND = Math.PI / 648000
const DEGREE = Math.PI / 180
const KEY = ['instruments']

/** The scanner: chosen from the library or entered, every figure open to change. */
export function InstrumentPart({
  profile,
  unit,
  edit,
  onChange,
  wrong,
}: {
  profile: Profile
  unit: string
  edit: boolean
  onChange: (p: Profile) => void
  wrong: Part['wrong']
}) {
  const queries = useQueryClient()
  const library = useQuery({ queryKey: KEY, queryFn: async () => unwrap(await api.GET('/api/instruments')) })
  const again = () => void queries.invalidateQueries({ queryKey: KEY })
  const keep = useChange(
    async (entry: { id?: string | null; version?: number }) =>
      unwrap(
        await api.PUT('/api/instruments', { body: { id: entry.id, version: entry.version, instrument: profile } }),
      ),
    again,
  )
  const remove = useChange(
    async (id: string) => unwrap(await api.DELETE('/api/instruments/{id}', { params: { path: { id } } })),
    again,
  )
  const [said, say] = useState('')
  const entries = library.data ?? []
  const same = (a: Profile, b: Profile) =>
    JSON.stringify(Object.entries(a).sort()) === JSON.stringify(Object.entries(b).sort())
  const own = entries.find((e) => e.id && e.instrument.name.toLowerCase() === profile.name.trim().toLowerCase())
  const kept = entries.some((e) => same(e.instrument, profile))
  const changed = own ? 'changed against your library' : 'not in your library'
  const put = (part: Partial<Profile>) => {
    say('')
    onChange({ ...profile, ...part })
  }
  const field = (key: keyof Profile, label: string, input: ReactNode) => (
    <Field key={key} name={`instrument.${key}`} label={label} wrong={wrong}>
      {input}
    </Field>
  )
  const number = (key: keyof Profile, label: string, per: number, suffix: string, digits: number, empty?: string) => {
    const none = empty ? null : 0
    return field(
      key,
      label,
      <InputNumber
        aria-label={label}
        controls={false}
        style={{ width: '100%' }}
        suffix={suffix}
        placeholder={empty}
        disabled={!edit}
        value={profile[key] == null ? null : Number(((profile[key] as number) / per).toFixed(digits))}
        onChange={(v) => put({ [key]: v == null ? none : Number(v) * per })}
      />,
    )
  }
  const length = (key: keyof Profile, label: string, small = true) =>
    field(
      key,
      label,
      <LengthInput
        small={small}
        unit={unit}
        label={label}
        value={profile[key] as number}
        disabled={!edit}
        onChange={(v) => put({ [key]: v ?? 0 })}
      />,
    )
  const shared = (key: keyof Shared, label: string, per: number | null, suffix = '') => {
    const change = (v: number | null) => put({ systematic: { ...profile.systematic!, [key]: v ?? 0 } })
    const value = profile.systematic?.[key] ?? 0
    return (
      <Field key={key} name={`instrument.systematic.${key}`} label={label} wrong={wrong}>
        {per == null ? (
          <LengthInput small unit={unit} label={label} value={value} disabled={!edit} onChange={change} />
        ) : (
          <InputNumber
            aria-label={label}
            controls={false}
            style={{ width: '100%' }}
            suffix={suffix}
            disabled={!edit}
            value={Number((value / per).toFixed(3))}
            onChange={(v) => change(v == null ? 0 : Number(v) * per)}
          />
        )}
      </Field>
    )
  }
  return (
    <>
      <Head aside={kept ? 'as kept in the library' : changed}>Instrument</Head>
      <div className="bar">
        <Select
          aria-label="From the library"
          placeholder="Take one from the library"
          style={{ width: 320 }}
          value={null}
          disabled={!edit}
          onChange={(k: number) => {
            const e = entries[k]
            if (e) {
              onChange(e.instrument)
              say(`${e.instrument.name} taken; save the brief to use it.`)
            }
          }}
          options={[
            {
              label: 'Your own',
              options: entries
                .map((e, k) => ({ value: k, label: e.instrument.name, own: !!e.id }))
                .filter((o) => o.own),
            },
            {
              label: 'Invented ones to begin with',
              options: entries
                .map((e, k) => ({ value: k, label: e.instrument.name, own: !!e.id }))
                .filter((o) => !o.own),
            },
          ].filter((g) => g.options.length > 0)}
        />
        <Button
          disabled={kept || !profile.name.trim()}
          loading={keep.isPending}
          onClick={() =>
            keep.mutate(own ? { id: own.id, version: own.version } : {}, {
              onSuccess: () => say(`${profile.name} is in your library.`),
            })
          }
        >
          {own ? 'Change it in your library' : 'Keep in your library'}
        </Button>
        {own && (
          <Confirm
            title={`${profile.name} leaves your library; this job keeps it.`}
            onConfirm={() =>
              remove.mutate(own.id!, {
                onSuccess: () => say(`${profile.name} is no longer in your library; this job keeps it.`),
              })
            }
          >
            Remove from your library
          </Confirm>
        )}
        <span className="faint" role="status">
          {said}
        </span>
      </div>
      <div className="fields">
        {field(
          'name',
          'Instrument profile',
          <Input
            aria-label="Instrument profile"
            value={profile.name}
            disabled={!edit}
            onChange={(e) => put({ name: e.target.value })}
          />,
        )}
        {length('max_range', 'Longest range', false)}
        {number('step', 'Angular increment', 1e-3, 'mrad', 4)}
        {number('scan_time', 'One scan at that increment', 1, 's', 1)}
      </div>
      <details className="more" open={!!wrong?.field?.startsWith('instrument.')}>
        <summary>All figures of the instrument</summary>
        <div className="fields">
          {length('range_sigma', 'Range noise, 1σ')}
          {number('range_sigma_per_m', 'growing with range by, 1σ', 1e-6, 'mm/km', 1)}
          {number('angular_sigma', 'Angular noise, 1σ', ARC_SECOND, '″', 3)}
          {number('compensator_sigma', 'Compensator, 1σ', ARC_SECOND, '″', 3, 'none')}
          {length('min_range', 'Shortest range', false)}
          {number('elevation_min', 'Vertical field of view, from', DEGREE, '°', 2)}
          {number('elevation_max', 'Vertical field of view, to', DEGREE, '°', 2)}
          {length('beam_exit', 'Beam diameter at exit')}
          {number('beam_divergence', 'Beam divergence, full', 1e-3, 'mrad', 4)}
          {number('warm_up', 'Warm-up', 60, 'min', 2)}
          {number('photograph_time', 'Photographs all round', 1, 's', 1)}
          {number('battery_time', 'A battery lasts (0: fed from outside)', 60, 'min', 1)}
          {number('bytes_per_point', 'Storage', 1, 'bytes a point', 2)}
          {length('centring_sigma', 'Centring over a mark, 1σ')}
          {length('height_sigma', 'Measured heights, 1σ')}
          {number('sighting_sigma', 'Sighting a reflector, 1σ', ARC_SECOND, '″', 3, 'cannot sight')}
        </div>
        <Head aside="1σ; 0 leaves one out">What does not average out</Head>
        <p className="faint">
          Errors that all points of a target share, however many there are. A block solves for them within what stands
          here, and every stated error contains them.
        </p>
        <div className="fields">
          {shared('range_offset', 'Range offset', null)}
          {shared('reflectivity', 'Range, black against white', null)}
          {shared('range_scale', 'Range scale', 1e-6, 'mm/km')}
          {shared('collimation', 'Collimation', ARC_SECOND, '″')}
          {shared('trunnion', 'Trunnion axis', ARC_SECOND, '″')}
          {shared('index', 'Vertical index', ARC_SECOND, '″')}
          {shared('index_at_set_up', 'Vertical index, new at every set-up', ARC_SECOND, '″')}
          {shared('settling', 'Tripod settles during a scan', null)}
          {shared('turning', 'Tripod turns during a scan', ARC_SECOND, '″')}
          {shared('roundness', 'Roundness and stem of spheres', null)}
          {shared('flatness', 'Flatness of checkerboards', null)}
        </div>
      </details>
    </>
  )
}
