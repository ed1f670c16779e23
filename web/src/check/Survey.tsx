import { Button, Input } from 'antd'
import { useCallback, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { PointText, usePointText } from '../georeference/PointText'
import { plural } from '../lib/count'
import { ago, chance } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Against, Caution, Confirm, Grade, Head, Ledger, States } from '../parts'
import { Chart, type Colours, Plot } from '../parts/Chart'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'
import { check as words } from '../words'

type Survey = Schema['SurveyDto']
type Result = Schema['SurveyResultDto']
type Point = Schema['SurveyedPointDto']

/** Points that were measured by other means, against the clouds: how far off, in which direction, and fit for what. */
export function Surveys() {
  const job = useJob()
  const edit = canEdit(job)
  const surveys = useRead('/api/jobs/{job}/surveys')
  const at = { params: { path: { job: job.id } } }
  const run = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/surveys/run', at)))
  const rows = surveys.data ?? []
  const stale = rows.some((r) => r.stale)
  return (
    <>
      <Head aside={stale ? words.notComparedAsThingsStand : ''}>{words.independentSurvey}</Head>
      <States of={surveys} what={words.theSurveys}>
        {rows.length === 0 && <p className="empty">{words.noSurveyYet}</p>}
        {edit && <Bring />}
        {edit && rows.length > 0 && stale && (
          <div className="bar">
            <Button type="primary" loading={run.isPending} onClick={() => run.mutate(undefined)}>
              {words.setAgainstThem}
            </Button>
          </div>
        )}
        <Tasks kinds={['survey']} ended={1} />
        {rows.map((r) => (
          <One key={r.id} survey={r} edit={edit} />
        ))}
        {rows.length > 0 && <Caution>{words.whatASurveyShows}</Caution>}
      </States>
    </>
  )
}

/** A point file with a name. */
function Bring() {
  const job = useJob()
  const [open, setOpen] = useState(false)
  const [name, setName] = useState('')
  const file = usePointText()
  const add = useChange(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/surveys', {
          params: { path: { job: job.id } },
          body: { name, file: file.body },
        }),
      ),
    () => {
      file.setText('')
      setName('')
      setOpen(false)
    },
  )
  if (!open)
    return (
      <div className="bar">
        <Button onClick={() => setOpen(true)}>{words.bringASurvey}</Button>
      </div>
    )
  return (
    <form
      aria-label={words.bringASurvey}
      onSubmit={(e) => {
        e.preventDefault()
        add.mutate(undefined)
      }}
    >
      <div className="bar">
        <Input
          aria-label={words.nameOfTheSurvey}
          placeholder={words.nameOfTheSurvey}
          maxLength={80}
          value={name}
          onChange={(e) => setName(e.target.value)}
          style={{ width: 320 }}
        />
      </div>
      <PointText of={file} label={words.pointsOfTheSurvey} onChange={() => undefined}>
        <Button type="primary" htmlType="submit" disabled={!file.text.trim() || !name.trim()} loading={add.isPending}>
          {words.setTheClouds}
        </Button>
        <Button type="text" onClick={() => setOpen(false)}>
          {words.close}
        </Button>
      </PointText>
    </form>
  )
}

function One({ survey: s, edit }: { survey: Survey; edit: boolean }) {
  const job = useJob()
  const at = { params: { path: { job: job.id, survey: s.id } } }
  const remove = useChange(async () =>
    unwrap(
      await api.DELETE('/api/jobs/{job}/surveys/{survey}', {
        params: { ...at.params, query: { version: s.version } },
      }),
    ),
  )
  return (
    <section className="card" aria-label={s.name}>
      <h3>
        {s.name} <span className="faint">{words.askedBy(s.by, ago(s.at))}</span>{' '}
        {s.stale && <span className="warn">{words.outOfDate}</span>}
        {edit && (
          <span className="bar-end">
            <Confirm title={words.takeTheSurveyOut(s.name)} onConfirm={() => remove.mutate(undefined)}>
              {words.takeOut}
            </Confirm>
          </span>
        )}
      </h3>
      {!s.result && <p className="empty">{words.notSetAgainstYet}</p>}
      {s.result && <Found survey={s} of={s.result} edit={edit} />}
    </section>
  )
}

function Found({ survey, of, edit }: { survey: Survey; of: Result; edit: boolean }) {
  const u = useUnits()
  return (
    <>
      <p>
        {words.pointsOnSurfaces(
          plural(of.points.length, 'point'),
          of.all.count,
          u.err(of.all.error95),
          u.err(of.all.bound),
          u.small,
        )}
      </p>
      <Uses survey={survey} of={of} edit={edit} />
      <div className="pair-plots">
        <Axes of={of} />
        <Away of={of} />
      </div>
      <Points of={of} />
    </>
  )
}

const USES = ['information', 'planning', 'design'] as const

/** What it is fit for, by limits that can be changed. */
function Uses({ survey: s, of, edit }: { survey: Survey; of: Result; edit: boolean }) {
  const u = useUnits()
  const job = useJob()
  const put = useChange(async (limits: Survey['limits']) =>
    unwrap(
      await api.PUT('/api/jobs/{job}/surveys/{survey}', {
        params: { path: { job: job.id, survey: s.id } },
        body: { limits, version: s.version },
      }),
    ),
  )
  const [typed, setTyped] = useState<Partial<Survey['limits']>>({})
  return (
    <table className="ledger" aria-label={words.fitForWhat}>
      <thead>
        <tr>
          <th scope="col">{words.use}</th>
          <th scope="col" className="num">
            {words.limit95(u.small)}
          </th>
          <th scope="col" style={{ width: 130 }}>
            {words.againstTheLimit}
          </th>
          <th scope="col">{words.verdict}</th>
          <th scope="col">{words.whereItIsNot}</th>
        </tr>
      </thead>
      <tbody>
        {of.uses.map((x) => {
          const use = USES.find((k) => k === x.name)
          return (
            <tr key={x.name} data-verdict={x.verdict}>
              <td>{use ? words.uses[use] : x.name}</td>
              <td className="num" style={{ width: 130 }}>
                {edit && use ? (
                  <form
                    onSubmit={(e) => {
                      e.preventDefault()
                      // it is kept when it is left
                      ;(document.activeElement as HTMLElement | null)?.blur()
                    }}
                    onBlur={() => {
                      if (typed[use] != null && typed[use] !== s.limits[use]) put.mutate({ ...s.limits, ...typed })
                    }}
                  >
                    <LengthInput
                      small
                      label={words.limitFor(words.uses[use])}
                      value={typed[use] ?? x.limit}
                      onChange={(v) => setTyped({ ...typed, [use]: v ?? undefined })}
                    />
                  </form>
                ) : (
                  u.err(x.limit)
                )}
              </td>
              <td>
                <Against value={of.all.count ? of.all.error95 : null} limit={x.limit} label={x.name} />
              </td>
              <td>
                <Grade value={x.verdict} />
              </td>
              <td>
                {x.beyond.slice(0, 8).join(', ')}
                {x.beyond.length > 8 && ` +${x.beyond.length - 8}`}
                {x.beyond.length === 0 && '–'}
              </td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

/** In plan, in height, along each axis. */
function Axes({ of }: { of: Result }) {
  const u = useUnits()
  const rows = [
    [words.inPlan, of.horizontal],
    [words.inHeight, of.vertical],
    [words.together, of.all],
  ] as const
  return (
    <div>
      <table className="ledger" aria-label={words.distancesOfTheClouds}>
        <thead>
          <tr>
            <th scope="col">{words.cloudBeforeSurvey}</th>
            <th scope="col" className="num">
              {words.pointsCount}
            </th>
            <th scope="col" className="num">
              {words.meanAnd95(u.small)}
            </th>
            <th scope="col" className="num">
              {words.within95(u.small)}
            </th>
            <th scope="col" className="num">
              {words.atMost(u.small)}
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, a]) => (
            <tr key={name}>
              <td>{name}</td>
              <td className="num">{a.count}</td>
              <td className="num">
                {a.count ? `${u.err(a.mean)}${a.mean95 == null ? '' : ` ± ${u.err(a.mean95)}`}` : '–'}
              </td>
              <td className="num">{a.count ? u.err(a.error95) : '–'}</td>
              <td className="num">{a.count ? u.err(a.bound) : '–'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p>
        {of.bias.length === 0
          ? words.nothingSaysOfABias
          : words.cloudsLieBeside(of.bias.map((b) => `${b.axis} ${u.within(b.shift, b.shift95)}`).join(', '), u.small)}
      </p>
    </div>
  )
}

/** Distance against how far the nearest control is. */
function Away({ of }: { of: Result }) {
  const u = useUnits()
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const there = of.points.filter((p) => p.distance != null && p.from_control != null)
      const x = (p: Point) => (p.from_control ?? 0) / u.metres
      const y = (p: Point) => (p.distance ?? 0) / u.smallMetres
      const band = (p: Point) => (p.expected ?? 0) / u.smallMetres
      return {
        x: { label: words.toTheNearestControl(u.code), grid: true, zero: true },
        y: { label: `[${u.small}]`, grid: true, zero: true },
        marks: [
          Plot.ruleX(there, { x, y1: (p: Point) => -band(p), y2: band, stroke: c.faint, strokeOpacity: 0.4 }),
          Plot.dot(there, {
            x,
            y,
            r: 3,
            fill: (p: Point) => (isOff(p) ? c.red : c.accent),
            symbol: (p: Point) => (isOff(p) ? 'times' : 'circle'),
            stroke: (p: Point) => (isOff(p) ? c.red : c.accent),
          }),
          Plot.ruleY([0], { stroke: c.ink }),
          Plot.tip(there, Plot.pointer({ x, y, title: (p: Point) => p.name, fill: c.paper })),
        ],
      }
    },
    [of, u],
  )
  return (
    <Chart
      caption={words.distanceAgainstControl}
      says={words.pointsOff(of.points.filter(isOff).length, of.points.length)}
      options={options}
    />
  )
}

const isOff = (p: Point) => p.p_family != null && p.p_family < 0.01

function Points({ of }: { of: Result }) {
  const u = useUnits()
  return (
    <Ledger
      label={words.pointsOfTheSurvey}
      rows={of.points}
      id={(p) => p.name}
      empty={words.noSurveyYet}
      tone={(p) => (isOff(p) ? 'bad' : undefined)}
      columns={[
        { head: words.point, cell: (p) => p.name },
        { head: words.on, cell: (p) => words.surfaces[p.on as keyof typeof words.surfaces] ?? p.on },
        { head: words.scan, cell: (p) => (p.scan ? `${p.scan}${p.scans > 1 ? ` +${p.scans - 1}` : ''}` : '–') },
        {
          head: words.cloudBefore(u.small),
          num: true,
          cell: (p) => u.err(p.distance),
          value: (p) => (p.distance ?? 0) / u.smallMetres,
        },
        {
          head: words.expected95(u.small),
          num: true,
          cell: (p) => u.err(p.expected),
          value: (p) => (p.expected ?? 0) / u.smallMetres,
        },
        { head: 'p', num: true, cell: (p) => chance(p.p_family), value: (p) => p.p_family ?? 1 },
        {
          head: words.toTheNearestControl(u.code),
          num: true,
          cell: (p) => u.len(p.from_control, 1),
          value: (p) => p.from_control ?? 0,
        },
      ]}
    />
  )
}
