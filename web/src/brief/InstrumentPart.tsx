import { Button, Input, InputNumber, Select } from 'antd'
import { type ReactNode, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { useChange } from '../lib/hooks'
import { Confirm, Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Field, type Part } from './context'
import { brief as words } from '../words'

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
  const changed = own ? words.changedAgainstYourLibrary : words.notInYourLibrary
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
      <Head aside={kept ? words.asKeptInThe : changed}>{words.instrument}</Head>
      <div className="bar">
        <Select
          aria-label={words.fromTheLibrary}
          placeholder={words.takeOneFromThe}
          style={{ width: 320 }}
          value={null}
          disabled={!edit}
          onChange={(k: number) => {
            const e = entries[k]
            if (e) {
              onChange(e.instrument)
              say(words.takenSaveTheBrief(e.instrument.name))
            }
          }}
          options={[
            {
              label: words.yourOwn,
              options: entries
                .map((e, k) => ({ value: k, label: e.instrument.name, own: !!e.id }))
                .filter((o) => o.own),
            },
            {
              label: words.inventedOnesToBegin,
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
              onSuccess: () => say(words.isInYourLibrary(profile.name)),
            })
          }
        >
          {own ? words.changeItInYour : words.keepInYourLibrary}
        </Button>
        {own && (
          <Confirm
            title={words.leavesYourLibraryThis(profile.name)}
            onConfirm={() =>
              remove.mutate(own.id!, {
                onSuccess: () => say(words.isNoLongerIn(profile.name)),
              })
            }
          >
            {words.removeFromYourLibrary}
          </Confirm>
        )}
        <span className="faint" role="status">
          {said}
        </span>
      </div>
      <div className="fields">
        {field(
          'name',
          words.instrumentProfile,
          <Input
            aria-label={words.instrumentProfile}
            value={profile.name}
            disabled={!edit}
            onChange={(e) => put({ name: e.target.value })}
          />,
        )}
        {length('max_range', words.longestRange, false)}
        {number('step', words.angularIncrement, 1e-3, 'mrad', 4)}
        {number('scan_time', words.oneScanAtThat, 1, 's', 1)}
      </div>
      <details className="more" open={!!wrong?.field?.startsWith('instrument.')}>
        <summary>{words.allFiguresOfThe}</summary>
        <div className="fields">
          {length('range_sigma', words.rangeNoise1)}
          {number('range_sigma_per_m', words.growingWithRangeBy, 1e-6, 'mm/km', 1)}
          {number('angular_sigma', words.angularNoise1, ARC_SECOND, '″', 3)}
          {number('compensator_sigma', 'Compensator, 1σ', ARC_SECOND, '″', 3, 'none')}
          {length('min_range', words.shortestRange, false)}
          {number('elevation_min', words.verticalFieldOfView, DEGREE, '°', 2)}
          {number('elevation_max', words.verticalFieldOfViewTo, DEGREE, '°', 2)}
          {length('beam_exit', words.beamDiameterAtExit)}
          {number('beam_divergence', words.beamDivergenceFull, 1e-3, 'mrad', 4)}
          {number('warm_up', 'Warm-up', 60, 'min', 2)}
          {number('photograph_time', words.photographsAllRound, 1, 's', 1)}
          {number('battery_time', words.aBatteryLasts0, 60, 'min', 1)}
          {number('bytes_per_point', 'Storage', 1, words.bytesAPoint, 2)}
          {length('centring_sigma', words.centringOverAMark)}
          {length('height_sigma', words.measuredHeights1)}
          {number('sighting_sigma', words.sightingAReflector1, ARC_SECOND, '″', 3, words.cannotSight)}
        </div>
        <Head aside={words.n10LeavesOne}>{words.whatDoesNotAverage}</Head>
        <p className="faint">{words.errorsThatAllPoints}</p>
        <div className="fields">
          {shared('range_offset', words.rangeOffset, null)}
          {shared('reflectivity', words.rangeBlackAgainstWhite, null)}
          {shared('range_scale', words.rangeScale, 1e-6, 'mm/km')}
          {shared('collimation', 'Collimation', ARC_SECOND, '″')}
          {shared('trunnion', words.trunnionAxis, ARC_SECOND, '″')}
          {shared('index', words.verticalIndex, ARC_SECOND, '″')}
          {shared('index_at_set_up', words.verticalIndexNewAt, ARC_SECOND, '″')}
          {shared('settling', words.tripodSettlesDuringA, null)}
          {shared('turning', words.tripodTurnsDuringA, ARC_SECOND, '″')}
          {shared('roundness', words.roundnessAndStemOf, null)}
          {shared('flatness', words.flatnessOfCheckerboards, null)}
        </div>
      </details>
    </>
  )
}
