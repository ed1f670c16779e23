import { Button, Input, InputNumber, Select } from 'antd'
import { type ReactNode, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { useChange } from '../lib/hooks'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'

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
  wrong: { field?: string; text: string } | null
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
  const put = (part: Partial<Profile>) => {
    say('')
    onChange({ ...profile, ...part })
  }
  const field = (key: keyof Profile, label: string, input: ReactNode) => (
    <div className="field" key={key}>
      <label>{label}</label>
      {input}
      {wrong?.field === `instrument.${key}` && (
        <div className="wrong" role="alert">
          {wrong.text}
        </div>
      )}
    </div>
  )
  const number = (key: keyof Profile, label: string, per: number, suffix: string, digits: number, empty?: string) =>
    field(
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
        onChange={(v) => put({ [key]: v == null ? (empty ? null : 0) : Number(v) * per })}
      />,
    )
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
      <div className="field" key={key}>
        <label>{label}</label>
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
        {wrong?.field === `instrument.systematic.${key}` && (
          <div className="wrong" role="alert">
            {wrong.text}
          </div>
        )}
      </div>
    )
  }
  return (
    <>
      <Head aside={kept ? 'as kept in the library' : own ? 'changed against your library' : 'not in your library'}>
        Instrument
      </Head>
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
          <Button
            danger
            onClick={() =>
              remove.mutate(own.id!, {
                onSuccess: () => say(`${profile.name} is no longer in your library; this job keeps it.`),
              })
            }
          >
            Take out of your library
          </Button>
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
        {length('range_sigma', 'Range noise, 1σ')}
        {number('range_sigma_per_m', 'growing with range by, 1σ', 1e-6, 'mm/km', 1)}
        {number('angular_sigma', 'Angular noise, 1σ', ARC_SECOND, '″', 3)}
        {number('compensator_sigma', 'Compensator, 1σ', ARC_SECOND, '″', 3, 'none')}
        {number('step', 'Angular step', 1e-3, 'mrad', 4)}
        {length('min_range', 'Shortest range', false)}
        {length('max_range', 'Longest range', false)}
        {number('elevation_min', 'Lowest elevation', DEGREE, '°', 2)}
        {number('elevation_max', 'Highest elevation', DEGREE, '°', 2)}
        {length('beam_exit', 'Beam where it leaves')}
        {number('beam_divergence', 'Beam divergence, full', 1e-3, 'mrad', 4)}
        {number('warm_up', 'Warm-up', 60, 'min', 2)}
        {number('scan_time', 'One scan at that step', 1, 's', 1)}
        {number('photograph_time', 'Photographs all round', 1, 's', 1)}
        {number('battery_time', 'A battery lasts (0: fed from outside)', 60, 'min', 1)}
        {number('bytes_per_point', 'Storage', 1, 'bytes a point', 2)}
        {length('centring_sigma', 'Plumbing over a mark, 1σ')}
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
        {shared('trunnion', 'Tilting axis', ARC_SECOND, '″')}
        {shared('index', 'Vertical index', ARC_SECOND, '″')}
        {shared('index_at_set_up', 'Vertical index, new at every set-up', ARC_SECOND, '″')}
        {shared('settling', 'Tripod settles during a scan', null)}
        {shared('turning', 'Tripod turns during a scan', ARC_SECOND, '″')}
        {shared('roundness', 'Roundness and stem of spheres', null)}
        {shared('flatness', 'Flatness of boards', null)}
      </div>
    </>
  )
}
