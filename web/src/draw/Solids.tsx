import { Button, Select } from 'antd'
import { useMemo, useState } from 'react'
import { api, unwrap } from '../api/client'
import { canEdit, useChange, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'
import { draw as words } from '../words'
import { AsFiles } from './AsFiles'
import { type Drawn, type Edit, type Place, taken } from './drawn'
import { GroundCanvas } from './GroundCanvas'
import { moveCorner } from './ground'
import { InSpace, SeenFrom, type View } from './InSpace'
import { extentOf, footprint, isMeasured, isSolid, placeError, radiusError, shapeOf } from './solids'
import { nameOf, SolidTable } from './SolidTable'
import { Spread } from './Spread'
import { type Drawing, useSlab } from './useDrawing'

const FILES = { 'solids.dxf': 'DXF', 'solids.obj': 'OBJ', 'solids.glb': 'glTF', 'solids.csv': 'CSV' }
const NOTHING: never[] = []

/** Simple solids: found, measured and agreed with, over the cloud or from above. */
export function Solids({ drawing }: { drawing: Drawing }) {
  const job = useJob()
  const sheets = drawing.items.filter((d) => d.kind === 'sheet')
  const [asked, setAsked] = useState<string | null>(null)
  const sheet = sheets.find((s) => s.id === asked) ?? sheets[0]
  if (!sheet) return <p className="empty">{words.solidsNeedPlan}</p>
  return (
    <>
      <div className="bar draw-form">
        <Select
          aria-label={words.plan}
          value={sheet.id}
          style={{ minWidth: 180 }}
          options={sheets.map((s) => ({ value: s.id, label: s.data.name }))}
          onChange={setAsked}
        />
        {canEdit(job) && <Find key={sheet.id} sheet={sheet} />}
      </div>
      <Tasks kinds={['solids']} ended={1} />
      <OnSheet key={sheet.id} sheet={sheet} drawing={drawing} />
    </>
  )
}

/** How far up it is looked. */
function Find({ sheet }: { sheet: Drawn }) {
  const job = useJob()
  const tasks = useRead('/api/jobs/{job}/tasks')
  const busy = !!tasks.data?.some((t) => t.kind === 'solids' && (t.state === 'running' || t.state === 'queued'))
  const [up, setUp] = useState<number | null>(8)
  const find = useChange(async () =>
    unwrap(
      await api.POST('/api/jobs/{job}/drawing/solids', {
        params: { path: { job: job.id } },
        body: { sheet: sheet.id, up: up! },
      }),
    ),
  )
  return (
    <>
      <label className="in-row">
        {words.lookUp}
        <span style={{ width: 84 }}>
          <LengthInput dense label={words.lookUp} value={up} onChange={setUp} digits={1} />
        </span>
      </label>
      <Button
        type="primary"
        loading={busy || find.isPending}
        disabled={up == null}
        title={words.solidsAgain}
        onClick={() => find.mutate(undefined)}
      >
        {words.findSolids}
      </Button>
    </>
  )
}

function OnSheet({ sheet, drawing }: { sheet: Drawn; drawing: Drawing }) {
  const job = useJob()
  const edit = canEdit(job)
  const [view, setView] = useState<View>('space')
  const [outlining, setOutlining] = useState(false)
  const [chosen, setChosen] = useState<string | null>(null)
  const items = useMemo(
    () => drawing.items.filter((d) => isSolid(d) && d.data.sheet === sheet.id),
    [drawing.items, sheet.id],
  )
  const one = items.find((d) => d.id === chosen)
  const apply = (edits: Edit[]) => void (edits.length > 0 && drawing.apply(edits))
  const agree = (of: Drawn[]) =>
    apply(of.filter((d) => d.data.found).map((d) => ({ ...d, data: { ...d.data, found: false } })))
  const remove = () => one && apply([taken(one)])
  const outline = (on: boolean) => {
    setOutlining(on)
    if (on) setView('above')
  }
  const add = (line: Place[]) => {
    const id = crypto.randomUUID()
    apply([{ id, kind: 'solid', data: { sheet: sheet.id, line, solid: { shape: 'pillar' } } }])
    setChosen(id)
    setOutlining(false)
  }
  useKey('v', () => outline(false))
  useKey('d', () => outline(true), edit)
  useKey('a', () => one && agree([one]), edit && one != null)
  useKey('delete', () => remove(), edit && one != null)
  useKey('ctrl+z', () => void drawing.undo(), edit)
  useKey('ctrl+y', () => void drawing.redo(), edit)
  useKey('escape', () => {
    setOutlining(false)
    setChosen(null)
  })
  return (
    <>
      <Said items={items} />
      <Bar
        {...{ view, outlining, edit, drawing, one }}
        open={items.some((d) => d.data.found)}
        onView={(v) => {
          setView(v)
          setOutlining(false)
        }}
        onOutline={() => outline(!outlining)}
        onAgree={() => one && agree([one])}
        onAgreeAll={() => agree(items)}
        onRemove={remove}
      />
      <div className="drawn halves">
        {view === 'space' ? (
          <InSpace items={items} chosen={chosen} onChoose={setChosen} />
        ) : (
          <Above
            {...{ sheet, drawing, items, chosen, outlining, edit }}
            onSelect={setChosen}
            onDrawn={add}
            onMove={(e) => apply([e])}
          />
        )}
        <div className="solids">
          {one && isMeasured(one) && <One of={one} />}
          <SolidTable items={items} stale={drawing.data?.stale ?? []} selected={chosen} onSelect={setChosen} />
        </div>
      </div>
      {items.some(isMeasured) && <AsFiles of="solids" files={FILES} />}
    </>
  )
}

/** What is done with solids. */
function Bar(p: {
  view: View
  outlining: boolean
  edit: boolean
  drawing: Drawing
  one: Drawn | undefined
  /** Some are not agreed with yet. */
  open: boolean
  onView: (v: View) => void
  onOutline: () => void
  onAgree: () => void
  onAgreeAll: () => void
  onRemove: () => void
}) {
  return (
    <div className="bar draw-tools">
      <SeenFrom value={p.view} onChange={p.onView} />
      {p.edit && (
        <>
          <Button size="small" type={p.outlining ? 'primary' : 'default'} onClick={p.onOutline}>
            {words.drawOutline}
          </Button>
          <Button size="small" disabled={!p.one?.data.found} onClick={p.onAgree}>
            {words.agree}
          </Button>
          <Button size="small" disabled={!p.open} onClick={p.onAgreeAll}>
            {words.agreeWithAll}
          </Button>
          <Button size="small" disabled={!p.drawing.canUndo} onClick={() => void p.drawing.undo()}>
            {words.undo}
          </Button>
          <Button size="small" disabled={!p.drawing.canRedo} onClick={() => void p.drawing.redo()}>
            {words.redo}
          </Button>
          <Button size="small" disabled={!p.one} onClick={p.onRemove}>
            {words.remove}
          </Button>
        </>
      )}
    </div>
  )
}

/** The one that is chosen: how large, how well known, how far points lie off it. */
function One({ of }: { of: Drawn }) {
  const u = useUnits()
  const long = `${u.len(extentOf(of), 3)} ${u.code}`
  const error = `${u.err(placeError(of))} ${u.small}`
  const round = shapeOf(of) === 'cylinder'
  return (
    <>
      <p className="told">
        <b>
          {round
            ? words.roundOf(`${u.within(2 * (of.data.radius ?? 0), 2 * (radiusError(of) ?? 0))} ${u.small}`, long)
            : words.highOf(nameOf(of), long)}
        </b>
        ; {round ? words.axisWithin(error) : words.heightsKnown(error)}
      </p>
      <Spread spread={of.data.solid?.spread ?? []} scatter={of.data.scatter ?? null} />
    </>
  )
}

/** How many there are, how good they are, and what of it nobody agreed with. */
function Said({ items }: { items: Drawn[] }) {
  const u = useUnits()
  if (items.length === 0) return <p className="empty">{words.noSolidYet}</p>
  const number = (shape: string) => items.filter((d) => shapeOf(d) === shape).length
  const errors = items.flatMap((d) => placeError(d) ?? []).sort((a, b) => a - b)
  const open = items.filter((d) => d.data.found).length
  const rest = items.filter((d) => !isMeasured(d)).length
  return (
    <p className="told">
      <b>{words.solidsOf(number('wall'), number('pillar'), number('cylinder'))}</b>
      {errors.length > 0 &&
        `; ${words.solidsWithin(u.err(errors[Math.floor(errors.length / 2)]), u.err(errors.at(-1)), u.small)}`}
      . <span className={open ? 'warn' : ''}>{open ? `${words.toAgree(open)}.` : words.allSolidsAgreed}</span>
      {rest > 0 && <span className="warn"> {words.notMeasuredYet(rest)}</span>}
    </p>
  )
}

/** The plan with what stands on it; outlines are drawn here. */
function Above(p: {
  sheet: Drawn
  drawing: Drawing
  items: Drawn[]
  chosen: string | null
  outlining: boolean
  edit: boolean
  onSelect: (id: string | null) => void
  onDrawn: (line: Place[]) => void
  onMove: (e: Edit) => void
}) {
  const plan = useMemo(
    () => p.drawing.items.filter((d) => d.data.sheet === p.sheet.id && ['line', 'opening'].includes(d.kind)),
    [p.drawing.items, p.sheet.id],
  )
  const cloud = useSlab(p.sheet, plan, true)
  // on the plan everything is an outline
  const shown = useMemo(
    () => p.items.map((d) => ({ ...d, kind: 'area', data: { name: d.data.name, line: footprint(d) } })),
    [p.items],
  )
  const byHand = (d: Drawn) => p.items.find((i) => i.id === d.id && shapeOf(i) === 'pillar')
  const tool = p.outlining ? 'area' : 'pick'
  return (
    <figure>
      <GroundCanvas
        contours={NOTHING}
        apart={1}
        walls={plan}
        cloud={cloud}
        heights={NO_HEIGHTS}
        label={words.solidPlan}
        items={shown}
        selected={p.chosen}
        tool={tool}
        editable={p.edit}
        onSelect={p.onSelect}
        onDrawn={(_, corners) => p.onDrawn(corners)}
        onMoveCorner={(d, k, to) => {
          const own = byHand(d)
          if (!own) return
          // what was measured does not hold for another outline
          const { sheet, name } = own.data
          const { line } = moveCorner(own, k, to).data!
          p.onMove({ id: own.id, kind: own.kind, data: { sheet, name, line, solid: { shape: 'pillar' } } })
        }}
      />
      <figcaption className="faint">
        {words.solidHints[tool]} {words.solidKeys}
      </figcaption>
    </figure>
  )
}
const NO_HEIGHTS = new Map<string, number>()
