import { Button } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { num } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { type Units, useUnits } from '../lib/units'
import { Caution, Head, Ledger, States } from '../parts'
import { Elevation } from '../plan/Elevation'
import { Tasks } from '../shell/Tasks'
import { check as words } from '../words'
import { CoverMap } from './CoverMap'
import { colourOf, type Hole, lackWords, PIECES, pieceOf, type Shown, type Surface } from './covered'

/** Shares below this tie a scan badly to what is there. */
const TIES = 0.3

/** What the scans show of the required surfaces: where they fall short, and the station that would mend it. */
export function Cover() {
  const job = useJob()
  const shown = useRead('/api/jobs/{job}/shown')
  const measure = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/spacing', { params: { path: { job: job.id } } })),
  )
  const data = shown.data
  return (
    <>
      <Head aside={data?.stale ? words.notMeasuredSince : ''}>{words.coverAchieved}</Head>
      <States of={shown} what={words.theCover}>
        {canEdit(job) && (
          <div className="bar">
            <Button
              type={!data || data.stale ? 'primary' : 'default'}
              loading={measure.isPending}
              onClick={() => measure.mutate(undefined)}
            >
              {data ? words.measureAgain : words.measurePointSpacingOn}
            </Button>
          </div>
        )}
        <Tasks kinds={['spacing']} ended={1} />
        {!data && <p className="empty">{words.coverNotMeasured}</p>}
        {data && <Found data={data} />}
      </States>
    </>
  )
}

function Found({ data }: { data: Shown }) {
  const u = useUnits()
  const [hole, setHole] = useState<number | null>(null)
  const [surface, setSurface] = useState<string | null>(null)
  const chosen = hole == null ? undefined : data.holes[hole]
  const item = chosen?.item ?? surface
  const shown = data.surfaces.find((s) => s.item === item)
  const share = (v: number) => `${num((100 * v) / Math.max(data.total, 1e-9), 1)} %`
  const pick = (k: number | null) => {
    setHole(k)
    setSurface(k == null ? null : (data.holes[k]?.item ?? null))
  }
  return (
    <>
      <p className="told">
        {words.coverOf(share(data.within), u.area(data.total), share(data.planned))}
        {data.small > 0.05 && ` ${words.smallHoles(u.area(data.small, 1))}`}
      </p>
      <div className="covered">
        <CoverMap data={data} hole={hole} surface={shown} onHole={pick} />
        <div>
          <Holes data={data} hole={hole} onHole={pick} />
          <Fillings data={data} />
        </div>
      </div>
      {shown && <Face surface={shown} hole={chosen} />}
      <Surfaces
        rows={data.surfaces}
        chosen={item ?? null}
        onChoose={(id) => {
          setHole(null)
          setSurface(id)
        }}
      />
      <Caution>{words.whatCoverShows}</Caution>
    </>
  )
}

function Holes({ data, hole, onHole }: { data: Shown; hole: number | null; onHole: (k: number | null) => void }) {
  const u = useUnits()
  const span = (v: readonly number[]) => `${u.len(v[0], 1)}–${u.len(v[1], 1)}`
  return (
    <Ledger
      label={words.holes}
      rows={data.holes.map((h, k) => ({ ...h, k }))}
      id={(r) => String(r.k)}
      selected={hole == null ? null : String(hole)}
      onSelect={(id) => onHole(id == null ? null : Number(id))}
      empty={words.noHoles}
      columns={[
        { head: '', cell: (r) => r.k + 1, value: (r) => r.k },
        { head: words.surface, cell: (r) => r.surface },
        { head: words.alongIt(u.code), num: true, cell: (r) => (r.along[1]! > 0 ? span(r.along) : '–') },
        { head: words.heights(u.code), num: true, cell: (r) => span(r.heights) },
        { head: words.areaOf(u.code), num: true, cell: (r) => areaNumber(r.area, u), value: (r) => r.area },
        { head: words.whatIsWrong, cell: (r) => lackWords(r, u) },
        { head: words.planSaid, num: true, cell: (r) => `${num(100 * r.planned, 0)} %`, value: (r) => r.planned },
      ]}
    />
  )
}

const areaNumber = (m2: number, u: Units) => num(m2 / (u.metres * u.metres), 1)

/** Stations that would fill the holes, each with the way to put it on the plan. */
function Fillings({ data }: { data: Shown }) {
  const u = useUnits()
  if (data.holes.length === 0) return null
  return (
    <section aria-label={words.whatWouldFill}>
      <h3>{words.whatWouldFill}</h3>
      {data.fillings.length === 0 && <p className="faint">{words.nothingWouldFill}</p>}
      <ol className="fillings">
        {data.fillings.map((f, k) => (
          <Filling key={f.position.join(' ')} of={f} name={`+${k + 1}`} stale={data.stale ?? false} />
        ))}
      </ol>
      {data.beyond > 0.2 && <p className="faint">{words.beyondReach(u.area(data.beyond, 1))}</p>}
    </section>
  )
}

function Filling({ of: f, name, stale }: { of: Shown['fillings'][number]; name: string; stale: boolean }) {
  const job = useJob()
  const u = useUnits()
  const plan = useRead('/api/jobs/{job}/plan')
  const put = useChange(async () => {
    const orders = (plan.data ?? []).filter((i) => i.kind === 'station').map((i) => i.data.order ?? 0)
    const data = {
      name: words.fillName(name),
      base: 0,
      top: 0,
      position: f.position,
      order: Math.max(0, ...orders) + 1,
    }
    return unwrap(
      await api.POST('/api/jobs/{job}/plan/edits', {
        params: { path: { job: job.id } },
        body: [
          {
            id: crypto.randomUUID(),
            kind: 'station',
            data: data as unknown as Record<string, never>,
            version: null,
            deleted: false,
          },
        ],
      }),
    )
  })
  const [x, y, z] = f.position
  return (
    <li>
      <b>{name}</b> {words.fillAt(u.len(x, 2), u.len(y, 2), u.len(z, 2), u.code)}:{' '}
      {words.fillBrings(u.area(f.area, 1), f.holes.map((h) => h + 1).join(', '))}
      {f.beside && ` ${words.fillShares(num(100 * f.overlap, 0), f.beside)}`}
      {f.overlap < TIES && <span className="warn"> {words.fillTiesBadly}</span>}{' '}
      {canEdit(job) && !stale && (
        <Button
          size="small"
          loading={put.isPending}
          disabled={put.isSuccess || !plan.data}
          onClick={() => put.mutate(undefined)}
        >
          {put.isSuccess ? words.isOnThePlan : words.putItOnThePlan}
        </Button>
      )}
    </li>
  )
}

/** One surface seen square on, piece by piece. */
function Face({ surface: s, hole }: { surface: Surface; hole: Hole | undefined }) {
  const u = useUnits()
  const said = (c: readonly number[]) => {
    const piece = pieceOf(c, s.required)
    const promised = c[8] ? words.thePlanHadIt : words.thePlanHadItNot
    if (piece === 'nothing') return `${words.noPoints}; ${promised}`
    if (piece === 'beside') return `${words.liesBeside(u.len(Math.abs(c[7]!), 2), u.code)}; ${promised}`
    return `${words.pointsApart(u.err(c[6]), u.small)}; ${promised}`
  }
  return (
    <Elevation
      surface={s}
      paint={(c) => colourOf(pieceOf(c, s.required))}
      say={(c) => `${words.heightOf(u.len(c[2], 2), u.code)}: ${said(c)}`}
      frame={hole && s.kind === 'wall' ? { along: hole.along, heights: hole.heights } : undefined}
      about={
        <span className="legend">
          {PIECES.map((p) => (
            <span key={p}>
              <i style={{ background: colourOf(p) }} />
              {words.pieces[p]}
            </span>
          ))}
        </span>
      }
    />
  )
}

function Surfaces(p: { rows: Surface[]; chosen: string | null; onChoose: (id: string | null) => void }) {
  const u = useUnits()
  const share = (v: number, of: number) => num((100 * v) / Math.max(of, 1e-9), 1)
  return (
    <Ledger
      label={words.requiredSurfaces}
      rows={p.rows}
      id={(s) => s.item}
      selected={p.chosen}
      onSelect={p.onChoose}
      tone={(s) => (s.within < 0.95 * s.area ? 'bad' : undefined)}
      empty={words.nothingIsRequired}
      columns={[
        { head: words.surface, cell: (s) => s.name },
        { head: words.spacingAsked(u.small), num: true, cell: (s) => u.err(s.required), value: (s) => s.required },
        { head: words.areaOf(u.code), num: true, cell: (s) => areaNumber(s.area, u), value: (s) => s.area },
        { head: words.shareAchieved, num: true, cell: (s) => share(s.within, s.area), value: (s) => s.within / s.area },
        {
          head: words.sharePlanned,
          num: true,
          cell: (s) => share(s.planned, s.area),
          value: (s) => s.planned / s.area,
        },
      ]}
    />
  )
}
