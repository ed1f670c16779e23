import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Button, Input, InputNumber, Select } from 'antd'
import { type ReactNode, useEffect, useState } from 'react'
import { InstrumentPart } from '../brief/InstrumentPart'
import { api, ApiError, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { UNIT_NAMES } from '../lib/units'
import { Caution, Head, Ledger } from '../parts'
import { LengthInput } from '../parts/LengthInput'

type BriefT = Schema['Brief']

/** Who wants what, how good, where, and what to beware of. */
export default function Brief() {
  const job = useJob()
  const queries = useQueryClient()
  const draftKey = `vistazo-brief-${job.id}`
  const [name, setName] = useState(job.name)
  const [brief, setBrief] = useState<BriefT>(() => {
    const kept = sessionStorage.getItem(draftKey)
    return kept ? (JSON.parse(kept) as BriefT) : job.brief
  })
  const [wrong, setWrong] = useState<{ field?: string; text: string } | null>(null)
  const edit = canEdit(job)
  const changed = JSON.stringify(brief) !== JSON.stringify(job.brief) || name !== job.name
  useEffect(() => {
    if (changed) sessionStorage.setItem(draftKey, JSON.stringify(brief))
    else sessionStorage.removeItem(draftKey)
  }, [brief, changed, draftKey])
  const save = useChange(
    async () => {
      try {
        return unwrap(
          await api.PUT('/api/jobs/{job}', {
            params: { path: { job: job.id } },
            body: { name, brief, version: job.version },
          }),
        )
      } catch (e) {
        if (e instanceof ApiError) setWrong({ field: e.field, text: e.message })
        throw e
      }
    },
    (saved) => {
      setWrong(null)
      sessionStorage.removeItem(draftKey)
      queries.setQueryData(['job', job.id, 'job'], saved)
    },
  )
  const reference = useQuery({
    queryKey: ['reference', brief.epsg],
    queryFn: async () =>
      unwrap(await api.GET('/api/references/{code}', { params: { path: { code: brief.epsg ?? 0 } } })),
    enabled: !!brief.epsg,
    retry: false,
  })
  const set = (part: Partial<BriefT>) => setBrief({ ...brief, ...part })
  const need = (part: Partial<BriefT['requirement']>) => set({ requirement: { ...brief.requirement, ...part } })
  const field = (key: string, label: string, input: ReactNode, wide = false) => (
    <div className={`field ${wide ? 'wide' : ''}`}>
      <label>{label}</label>
      {input}
      {wrong?.field === key && (
        <div className="wrong" role="alert">
          {wrong.text}
        </div>
      )}
    </div>
  )
  const text = (key: 'client' | 'site' | 'purpose', label: string) =>
    field(
      key,
      label,
      <Input aria-label={label} value={brief[key]} disabled={!edit} onChange={(e) => set({ [key]: e.target.value })} />,
    )
  return (
    <div className="page">
      <Head
        aside={
          edit && (
            <Button type="primary" disabled={!changed} loading={save.isPending} onClick={() => save.mutate(undefined)}>
              {changed ? 'Save brief' : 'Saved'}
            </Button>
          )
        }
      >
        Brief
      </Head>
      <div className="fields">
        {field(
          'name',
          'Job',
          <Input aria-label="Job" value={name} disabled={!edit} onChange={(e) => setName(e.target.value)} />,
        )}
        {text('client', 'Client')}
        {text('site', 'Site')}
        {text('purpose', 'Purpose')}
      </div>
      <Head aside="what the client needs; empty where nothing is asked">Requirement</Head>
      <div className="fields">
        {field(
          'horizontal95',
          'Horizontal position, 95 %',
          <LengthInput
            small
            unit={brief.unit}
            label="Horizontal limit"
            value={brief.requirement.horizontal95}
            disabled={!edit}
            onChange={(v) => need({ horizontal95: v })}
          />,
        )}
        {field(
          'vertical95',
          'Height, 95 %',
          <LengthInput
            small
            unit={brief.unit}
            label="Vertical limit"
            value={brief.requirement.vertical95}
            disabled={!edit}
            onChange={(v) => need({ vertical95: v })}
          />,
        )}
        {field(
          'spatial95',
          'Position in space, 95 %',
          <LengthInput
            small
            unit={brief.unit}
            label="3-D limit"
            value={brief.requirement.spatial95}
            disabled={!edit}
            onChange={(v) => need({ spatial95: v })}
          />,
        )}
        {field(
          'check_rmse',
          'Check points, root mean square',
          <LengthInput
            small
            unit={brief.unit}
            label="Check point limit"
            value={brief.requirement.check_rmse}
            disabled={!edit}
            onChange={(v) => need({ check_rmse: v })}
          />,
        )}
      </div>
      <p className="faint">
        Positions are judged at targets, stations and required surfaces. Point spacing is asked for per surface: mark
        walls on the plan.
      </p>
      <Head>Coordinates and units</Head>
      <div className="fields">
        {field(
          'unit',
          'Lengths are shown and entered in',
          <Select
            aria-label="Unit"
            value={brief.unit}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(unit) => set({ unit })}
            options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label: `${label} (${value})` }))}
          />,
        )}
        {field(
          'epsg',
          'EPSG code (empty: local grid)',
          <>
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
          </>,
        )}
        {field(
          'output',
          'Coordinates handed over',
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
          />,
        )}
        {field(
          'vertical',
          'Vertical reference',
          <Input
            aria-label="Vertical reference"
            placeholder="name of the height system"
            value={brief.vertical}
            disabled={!edit}
            onChange={(e) => set({ vertical: e.target.value })}
          />,
        )}
        {field(
          'undulation',
          'Geoid over ellipsoid (empty: not known)',
          <LengthInput
            unit={brief.unit}
            label="Geoid over ellipsoid"
            value={brief.undulation}
            disabled={!edit || !brief.epsg}
            onChange={(undulation) => set({ undulation })}
          />,
        )}
        {(['E', 'N', 'H'] as const).map((axis, i) =>
          field(
            'origin',
            `Plan origin on the grid, ${axis}`,
            <LengthInput
              label={`Origin ${axis}`}
              unit={brief.unit}
              value={brief.origin[i]}
              disabled={!edit}
              onChange={(v) =>
                set({ origin: brief.origin.map((o, k) => (k === i ? (v ?? 0) : o)) as BriefT['origin'] })
              }
            />,
          ),
        )}
      </div>
      <Head>Targets</Head>
      <div className="fields">
        {field(
          'sphere_diameter',
          'Sphere diameter (not radius)',
          <LengthInput
            small
            unit={brief.unit}
            label="Sphere diameter"
            value={brief.sphere_diameter}
            disabled={!edit}
            onChange={(v) => set({ sphere_diameter: v })}
          />,
        )}
        {field(
          'checker_side',
          'Side of the checkers',
          <LengthInput
            small
            unit={brief.unit}
            label="Checker side"
            value={brief.checker_side}
            disabled={!edit}
            onChange={(v) => set({ checker_side: v })}
          />,
        )}
        {field(
          'tie_by_clouds',
          'What ties the scans',
          <Select
            aria-label="What ties the scans"
            value={brief.tie_by_clouds ? 'clouds' : 'targets'}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(v) => set({ tie_by_clouds: v === 'clouds' })}
            options={[
              { value: 'targets', label: 'targets and set-ups' },
              { value: 'clouds', label: 'targets, set-ups and clouds' },
            ]}
          />,
        )}
      </div>
      <InstrumentPart
        profile={brief.instrument}
        unit={brief.unit}
        edit={edit}
        wrong={wrong}
        onChange={(instrument) => set({ instrument })}
      />
      <Head>Hazards and permissions</Head>
      <Input.TextArea
        aria-label="Hazards"
        value={brief.hazards}
        disabled={!edit}
        autoSize={{ minRows: 2 }}
        onChange={(e) => set({ hazards: e.target.value })}
      />
      <Caution>
        Brief the crew on these before work. The site's own rules and local codes come first; tripods are trip hazards,
        and the laser class of the instrument decides who may look towards it.
      </Caution>
      <Members />
    </div>
  )
}

function Members() {
  const job = useJob()
  const [email, setEmail] = useState('')
  const members = useRead<Schema['Member'][]>('/api/jobs/{job}/members')
  const set = useChange(
    async (b: { email: string; role: Schema['Role'] | null }) =>
      unwrap(await api.PUT('/api/jobs/{job}/members', { params: { path: { job: job.id } }, body: b })),
    () => setEmail(''),
  )
  const roles = ['owner', 'surveyor', 'reviewer', 'client'].map((value) => ({ value, label: value }))
  const owner = job.role === 'owner'
  return (
    <>
      <Head aside="whoever prepares a package cannot check it">People</Head>
      <Ledger
        label="People"
        rows={members.data ?? []}
        id={(m) => m.user_id}
        empty="Nobody yet."
        columns={[
          { head: 'Name', cell: (m) => m.name },
          { head: 'Address', cell: (m) => m.email },
          {
            head: 'Role',
            cell: (m) =>
              owner ? (
                <Select
                  aria-label={`Role of ${m.name}`}
                  size="small"
                  value={m.role}
                  style={{ width: 120 }}
                  options={[...roles, { value: '', label: 'take out' }]}
                  onChange={(role) => set.mutate({ email: m.email, role: (role || null) as Schema['Role'] | null })}
                />
              ) : (
                m.role
              ),
          },
        ]}
      />
      {owner && (
        <form
          className="bar"
          onSubmit={(e) => {
            e.preventDefault()
            set.mutate({ email, role: 'surveyor' })
          }}
        >
          <Input
            aria-label="Address of a person"
            placeholder="Address of a person with an account"
            value={email}
            onChange={(e) => setEmail(e.target.value)}
            style={{ width: 300 }}
          />
          <Button htmlType="submit" disabled={!email}>
            Add as surveyor
          </Button>
        </form>
      )}
    </>
  )
}
