import { useQueryClient } from '@tanstack/react-query'
import { Button, Checkbox, Input, Select } from 'antd'
import { useState } from 'react'
import { api, ApiError, unwrap } from '../api/client'
import { type BriefT, Field, nameOf, type Part } from '../brief/context'
import { CoordinatesPart } from '../brief/CoordinatesPart'
import { InstrumentPart } from '../brief/InstrumentPart'
import { PeoplePart } from '../brief/PeoplePart'
import { useDraft } from '../lib/draft'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { Caution, Conflicts, Head, Term } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { brief as words, deliver } from '../words'

/** Who wants what, how good, where, and what to beware of. */
export default function Brief() {
  const job = useJob()
  const queries = useQueryClient()
  const draft = useDraft(`vistazo-brief ${job.id}`, { name: job.name, brief: job.brief }, job.version)
  const { name, brief } = draft.value
  const [wrong, setWrong] = useState<Part['wrong']>(null)
  const edit = canEdit(job)
  const save = useChange(
    async () => {
      try {
        return unwrap(
          await api.PUT('/api/jobs/{job}', {
            params: { path: { job: job.id } },
            body: { name, brief, version: draft.version },
          }),
        )
      } catch (e) {
        if (e instanceof ApiError) setWrong({ field: e.field, text: e.message })
        throw e
      }
    },
    (saved) => {
      setWrong(null)
      draft.discard()
      queries.setQueryData(['job', job.id, 'job'], saved)
    },
  )
  const set = (part: Partial<BriefT>) => draft.set({ name, brief: { ...brief, ...part } })
  const part: Part = { brief, edit, wrong, set }
  return (
    <div className="page">
      <Head
        aside={
          edit && (
            <>
              {draft.changed && (
                <Button type="text" onClick={draft.discard}>
                  {words.discardWhatIsNot}
                </Button>
              )}
              <Button
                type="primary"
                disabled={!draft.changed || draft.conflicts.length > 0}
                loading={save.isPending}
                onClick={() => save.mutate(undefined)}
              >
                {draft.changed ? words.saveBrief : words.saved}
              </Button>
            </>
          )
        }
      >
        {words.brief}
      </Head>
      <Conflicts draft={draft} name={nameOf} />
      <div className="fields">
        <Field name="name" label={words.job} wrong={wrong}>
          <Input
            aria-label={words.job}
            value={name}
            disabled={!edit}
            onChange={(e) => draft.set({ name: e.target.value, brief })}
          />
        </Field>
        {(
          [
            ['client', words.client],
            ['site', words.site],
            ['purpose', words.purpose],
          ] as const
        ).map(([key, label]) => (
          <Field key={key} name={key} label={label} wrong={wrong}>
            <Input
              aria-label={label}
              value={brief[key]}
              disabled={!edit}
              onChange={(e) => set({ [key]: e.target.value })}
            />
          </Field>
        ))}
      </div>
      <RequirementPart {...part} />
      <CoordinatesPart {...part} />
      <TargetsPart {...part} />
      <DeliverablesPart {...part} />
      <InstrumentPart
        profile={brief.instrument}
        unit={brief.unit}
        edit={edit}
        wrong={wrong}
        onChange={(instrument) => set({ instrument })}
      />
      <Head>{words.hazardsAndPermissions}</Head>
      <Input.TextArea
        aria-label={words.hazards}
        value={brief.hazards}
        disabled={!edit}
        autoSize={{ minRows: 2 }}
        onChange={(e) => set({ hazards: e.target.value })}
      />
      <Caution>{words.briefTheCrewOn}</Caution>
      <PeoplePart />
    </div>
  )
}

const DELIVERABLES = [
  'laz',
  'copc',
  'e57',
  'ply',
  'xyz',
  'tiles',
  'walk_through',
  'floor_plans',
  'elevations',
  'ground',
  'features',
] as const

const LIMITS = [
  ['horizontal95', words.horizontalPosition95, words.horizontalLimit],
  ['vertical95', words.height95, words.verticalLimit],
  ['spatial95', words.positionInSpace95, words.spatialLimit],
  ['check_rmse', words.checkPointsRootMean, words.checkPointLimit],
] as const

/** What the client needs. */
function RequirementPart({ brief, edit, wrong, set }: Part) {
  return (
    <>
      <Head aside={words.whatTheClientNeeds}>{words.requirement}</Head>
      <div className="fields">
        {LIMITS.map(([key, words, label]) => (
          <Field key={key} name={key} label={words} wrong={wrong}>
            <LengthInput
              small
              unit={brief.unit}
              label={label}
              value={brief.requirement[key]}
              disabled={!edit}
              onChange={(v) => set({ requirement: { ...brief.requirement, [key]: v } })}
            />
          </Field>
        ))}
      </div>
      <p className="faint">
        <Term of="at95">95 %</Term>
        {words.positionsAreJudgedAt}
      </p>
    </>
  )
}

/** What is to be handed over. */
function DeliverablesPart({ brief, edit, set }: Part) {
  return (
    <>
      <Head aside={words.besideTheReport}>{words.toBeHandedOver}</Head>
      <Checkbox.Group
        className="columns"
        value={brief.deliverables ?? []}
        disabled={!edit}
        onChange={(deliverables) => set({ deliverables })}
        options={DELIVERABLES.map((value) => ({ value, label: deliver.deliverable[value] }))}
      />
    </>
  )
}

/** What the scans are tied by. */
function TargetsPart({ brief, edit, wrong, set }: Part) {
  return (
    <>
      <Head>{words.targets}</Head>
      <div className="fields">
        <Field name="sphere_diameter" label={words.sphereDiameterNotRadius} wrong={wrong}>
          <LengthInput
            small
            unit={brief.unit}
            label={words.sphereDiameter}
            value={brief.sphere_diameter}
            disabled={!edit}
            onChange={(v) => set({ sphere_diameter: v })}
          />
        </Field>
        <Field name="checker_side" label={words.checkerboardSize} wrong={wrong}>
          <LengthInput
            small
            unit={brief.unit}
            label={words.checkerboardSize}
            value={brief.checker_side}
            disabled={!edit}
            onChange={(v) => set({ checker_side: v })}
          />
        </Field>
        <Field name="tie_by_clouds" label={words.registrationBy} wrong={wrong}>
          <Select
            aria-label={words.registrationBy}
            value={brief.tie_by_clouds ? 'clouds' : 'targets'}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(v) => set({ tie_by_clouds: v === 'clouds' })}
            options={[
              { value: 'targets', label: words.targetsAndSetUps },
              { value: 'clouds', label: words.targetsSetUpsAnd },
            ]}
          />
        </Field>
      </div>
    </>
  )
}
