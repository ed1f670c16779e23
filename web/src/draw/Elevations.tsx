import { Button, Input, Segmented } from 'antd'
import { useMemo, useState } from 'react'
import { useSearchParams } from 'react-router-dom'
import { api, unwrap } from '../api/client'
import { num } from '../lib/format'
import { canEdit, useChange, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Confirm } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'
import { draw as words } from '../words'
import { AsFiles } from './AsFiles'
import { type Drawn, type DrawnData, type Edit, ends, type Place, taken } from './drawn'
import { newElevation, widthOf } from './elevation'
import { ElevationMap } from './ElevationMap'
import { ElevationPicture } from './ElevationPicture'
import type { Drawing } from './useDrawing'

const NONE: never[] = []
const PARAM = 'elevation'
const FILES = {
  'elevation.png': 'PNG',
  'elevation.pgw': words.worldFile,
  'elevation.tif': 'GeoTIFF',
  'elevation.pdf': 'PDF',
  'section.dxf': words.cutLinesDxf,
}

/** Elevations: planes that are looked at square on, as pictures in which lengths are true. */
export function Elevations({ drawing }: { drawing: Drawing }) {
  const job = useJob()
  const edit = canEdit(job)
  const [params, setParams] = useSearchParams()
  const [adding, setAdding] = useState(false)
  const all = useMemo(() => drawing.items.filter((d) => d.kind === 'elevation'), [drawing.items])
  const walls = useMemo(() => drawing.items.filter((d) => d.kind === 'line'), [drawing.items])
  const stations = useStations()
  const one = all.find((d) => d.id === params.get(PARAM)) ?? all[0]
  const open = (id: string) =>
    setParams(
      (old) => {
        const p = new URLSearchParams(old)
        p.set(PARAM, id)
        return p
      },
      { replace: true },
    )
  const add = (line: [Place, Place]) => {
    const id = crypto.randomUUID()
    const name = words.elevationNo(all.length + 1)
    const data: DrawnData = newElevation(line, name, drawing.data?.floors[0]?.[0] ?? 0)
    void drawing.apply([{ id, kind: 'elevation', data }])
    setAdding(false)
    open(id)
  }
  useKey('n', () => setAdding(!adding), edit)
  useKey('escape', () => setAdding(false))
  useKey('ctrl+z', () => void drawing.undo(), edit)
  useKey('ctrl+y', () => void drawing.redo(), edit)
  return (
    <>
      {all.length === 0 && <p className="empty">{words.noElevation}</p>}
      <div className="bar views">
        {all.length > 0 && (
          <Segmented
            aria-label={words.elevations}
            value={one?.id ?? ''}
            onChange={open}
            options={all.map((d) => ({ value: d.id, label: d.data.name ?? '' }))}
          />
        )}
        {edit && (
          <Button
            size="small"
            type={adding || all.length === 0 ? 'primary' : 'default'}
            aria-pressed={adding}
            onClick={() => setAdding(!adding)}
          >
            {words.newElevation}
          </Button>
        )}
        {one && drawing.data?.stale.includes(one.id) && <b className="warn">{words.pictureOld}</b>}
      </div>
      <div className="drawn elevations">
        <div>
          {one && <Form key={`${one.id} ${one.version}`} of={one} drawing={drawing} />}
          <Tasks kinds={['picture']} ended={1} />
          {one && <Shown of={one} />}
        </div>
        <figure>
          <ElevationMap
            walls={walls}
            stations={stations}
            elevations={all}
            selected={one?.id ?? null}
            drawing={adding && edit}
            onDrawn={add}
            onSelect={open}
          />
          <figcaption className="faint">{adding ? words.elevationHint : words.elevationMapSays}</figcaption>
        </figure>
      </div>
    </>
  )
}

/** Where scans stand on the grid. */
function useStations(): Place[] {
  const read = useRead('/api/jobs/{job}/georeference')
  return useMemo(
    () => (read.data?.result?.stations ?? []).map((s) => [s.pose.translation[0]!, s.pose.translation[1]!] as Place),
    [read.data],
  )
}

function Form({ of, drawing }: { of: Drawn; drawing: Drawing }) {
  const job = useJob()
  const edit = canEdit(job)
  const tasks = useRead('/api/jobs/{job}/tasks')
  const busy = !!tasks.data?.some((t) => t.kind === 'picture' && (t.state === 'running' || t.state === 'queued'))
  const [name, setName] = useState(of.data.name ?? '')
  const [low, setLow] = useState(of.data.heights?.[0] ?? null)
  const [high, setHigh] = useState(of.data.heights?.[1] ?? null)
  const [before, setBefore] = useState(of.data.depth?.[0] ?? null)
  const [behind, setBehind] = useState(of.data.depth?.[1] ?? null)
  const [pixel, setPixel] = useState(of.data.pixel ?? null)
  const apply = async (data: DrawnData | null) => {
    const e: Edit = data ? { id: of.id, kind: of.kind, data } : taken(of)
    return drawing.apply([e])
  }
  const asked = (): DrawnData => ({
    ...of.data,
    name: name.trim(),
    heights: [low!, high!],
    depth: [before!, behind!],
    pixel: pixel!,
  })
  const make = useChange(async () => {
    const data = asked()
    if (JSON.stringify(data) !== JSON.stringify(of.data)) await apply(data)
    return unwrap(
      await api.POST('/api/jobs/{job}/drawing/{sheet}/picture', {
        params: { path: { job: job.id, sheet: of.id } },
      }),
    )
  })
  if (!edit) return null
  const length = (label: string, value: number | null, set: (v: number | null) => void, small = false) => (
    <label className="in-row">
      {label}
      <span style={{ width: small ? 92 : 104 }}>
        <LengthInput dense label={label} value={value} onChange={set} small={small} digits={small ? 0 : 2} />
      </span>
    </label>
  )
  const [a, b] = ends(of) ?? []
  const complete = [low, high, before, behind, pixel].every((v) => v != null) && name.trim() !== ''
  return (
    <div className="bar draw-form">
      <label className="in-row">
        {words.name}
        <Input
          size="small"
          style={{ width: 150 }}
          maxLength={60}
          aria-label={words.name}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      {length(words.lowest, low, setLow)}
      {length(words.highest, high, setHigh)}
      {length(words.before, before, setBefore)}
      {length(words.behind, behind, setBehind)}
      {length(words.pixel, pixel, setPixel, true)}
      <Button
        type={of.data.picture ? 'default' : 'primary'}
        loading={busy || make.isPending}
        disabled={!complete}
        onClick={() => make.mutate(undefined)}
      >
        {of.data.picture ? words.makeAgain : words.makeThePicture}
      </Button>
      {a && b && (
        <Button size="small" onClick={() => void apply({ ...asked(), line: [b, a] })} disabled={!complete}>
          {words.otherSide}
        </Button>
      )}
      <Confirm title={words.removeElevationSays} onConfirm={() => void apply(null)}>
        {words.removeElevation}
      </Confirm>
    </div>
  )
}

/** What the plane cuts, in words. */
function CutSays({ of }: { of: Drawn }) {
  const u = useUnits()
  const cut = of.data.section
  if (!cut) return <span className="faint">{words.cutsNothing}</span>
  const worst = Math.max(...cut.lines.flatMap((l) => l.error95))
  return <>{words.cutsLines(cut.lines.length, cut.thicknesses.length, u.err(worst), u.small)}</>
}

function Shown({ of }: { of: Drawn }) {
  const job = useJob()
  const u = useUnits()
  const { picture, heights } = of.data
  if (!picture || !heights) return null
  const base = `/api/jobs/${job.id}/drawing/${of.id}`
  return (
    <>
      <p className="told">
        <b>{words.placesWithin(u.err(picture.error95), u.small)}</b>{' '}
        {words.shownBy(picture.scans.length, num(100 * picture.share, 0))} <CutSays of={of} />
      </p>
      <ElevationPicture
        key={picture.at}
        source={`${base}/elevation.png?made=${encodeURIComponent(picture.at)}`}
        width={widthOf(of)}
        heights={heights as [number, number]}
        name={of.data.name ?? ''}
        error95={picture.error95}
        cut={of.data.section?.lines ?? NONE}
      />
      <AsFiles of={`drawing/${of.id}`} files={FILES} />
    </>
  )
}
