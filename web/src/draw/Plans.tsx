import { Button, Segmented } from 'antd'
import { useMemo, useState } from 'react'
import { useSearchParams } from 'react-router-dom'
import { api, unwrap } from '../api/client'
import { canEdit, useAsk, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Confirm } from '../parts'
import { Tasks } from '../shell/Tasks'
import { draw as words } from '../words'
import { AsFiles } from './AsFiles'
import { DrawCanvas, type Tool } from './DrawCanvas'
import {
  type Drawn,
  type Edit,
  ends,
  isToAgree,
  join,
  lengthOf,
  moveEnd,
  type Place,
  split,
  taken,
  worstOf,
} from './drawn'
import { NewPlan } from './NewPlan'
import { Things } from './Things'
import { type Drawing, useSlab } from './useDrawing'

const NEW = 'new'
const PARAM = 'plan'
const FILES = { 'plan.dxf': 'DXF', 'plan.pdf': 'PDF', 'plan.geojson': 'GeoJSON' }

/** Floor plans: drawn out of the clouds, mended by hand, agreed with. */
export function Plans({ drawing }: { drawing: Drawing }) {
  const job = useJob()
  const tasks = useRead('/api/jobs/{job}/tasks')
  const [params, setParams] = useSearchParams()
  const busy = !!tasks.data?.some((t) => t.kind === 'draw' && (t.state === 'running' || t.state === 'queued'))
  const sheets = drawing.items.filter((i) => i.kind === 'sheet')
  const asked = params.get(PARAM)
  const sheet = asked === NEW ? undefined : (sheets.find((s) => s.id === asked) ?? sheets[0])
  const open = (id: string) =>
    setParams(
      (old) => {
        const p = new URLSearchParams(old)
        p.set(PARAM, id)
        return p
      },
      { replace: true },
    )
  return (
    <>
      {sheets.length === 0 && <p className="empty">{words.nothingDrawn}</p>}
      {sheets.length > 0 && (
        <div className="bar views">
          <Segmented
            aria-label={words.floorPlans}
            value={sheet?.id ?? NEW}
            onChange={open}
            options={[
              ...sheets.map((s) => ({ value: s.id, label: s.data.name })),
              ...(canEdit(job) ? [{ value: NEW, label: words.anotherPlan }] : []),
            ]}
          />
          {!!sheet && drawing.data?.stale.includes(sheet.id) && <b className="warn">{words.changedSince}</b>}
        </div>
      )}
      <NewPlan key={`at ${sheet?.id ?? NEW}`} floors={drawing.data?.floors ?? []} sheet={sheet} busy={busy} />
      <Tasks kinds={['draw']} ended={1} />
      {sheet && <Plan key={sheet.id} sheet={sheet} drawing={drawing} />}
    </>
  )
}

function Plan({ sheet, drawing }: { sheet: Drawn; drawing: Drawing }) {
  const job = useJob()
  const edit = canEdit(job)
  const [tool, setTool] = useState<Tool>('pick')
  const [chosen, setChosen] = useState<string[]>([])
  const [cloud, setCloud] = useState(true)
  const all = useMemo(() => drawing.items.filter((i) => i.data.sheet === sheet.id), [drawing.items, sheet.id])
  const items = useMemo(() => all.filter((i) => i.kind !== 'solid'), [all])
  const points = useSlab(sheet, items, cloud)
  const selected = items.filter((i) => chosen.includes(i.id))
  const apply = (edits: Edit[] | null) => {
    if (edits?.length) void drawing.apply(edits)
  }
  const add = (line: [Place, Place]) => {
    const kind = tool === 'opening' ? 'opening' : 'line'
    const data = { sheet: sheet.id, line, ...(kind === 'line' ? { layer: 'wall' } : { to_the_floor: true }) }
    apply([{ id: crypto.randomUUID(), kind, data: data }])
  }
  const agree = (of: Drawn[]) =>
    apply(of.filter((d) => d.data.found).map((d) => ({ ...d, data: { ...d.data, found: false } })))
  const remove = () => apply(selected.map(taken))
  const fit = useFit(sheet, (d, line) => apply([{ id: d.id, kind: d.kind, data: { ...line, layer: d.data.layer } }]))
  const one = selected.length === 1 && selected[0]?.kind === 'line' ? selected[0] : null
  const two = selected.length === 2 ? join(selected[0]!, selected[1]!) : null
  useKey('v', () => setTool('pick'))
  useKey('l', () => setTool('line'), edit)
  useKey('o', () => setTool('opening'), edit)
  useKey('x', () => setTool('split'), edit)
  useKey('c', () => setCloud(!cloud))
  useKey('a', () => agree(selected), edit)
  useKey('j', () => apply(two), edit && two != null)
  useKey('f', () => one && fit.mutate(one), edit && one != null)
  useKey('delete', remove, edit && selected.length > 0)
  useKey('ctrl+z', () => void drawing.undo(), edit)
  useKey('ctrl+y', () => void drawing.redo(), edit)
  useKey('ctrl+shift+z', () => void drawing.redo(), edit)
  useKey('escape', () => {
    setTool('pick')
    setChosen([])
  })
  const hint = { pick: words.pickHint, line: words.lineHint, opening: words.lineHint, split: words.splitHint }[tool]
  return (
    <>
      <Said sheet={sheet} items={items} />
      <div className="bar draw-tools">
        {edit && (
          <>
            <Segmented<Tool>
              size="small"
              aria-label={words.tool}
              value={tool}
              onChange={setTool}
              options={(['pick', 'line', 'opening', 'split'] as const).map((value) => ({
                value,
                label: words.tools[value],
              }))}
            />
            <Button size="small" disabled={!drawing.canUndo} onClick={() => void drawing.undo()}>
              {words.undo}
            </Button>
            <Button size="small" disabled={!drawing.canRedo} onClick={() => void drawing.redo()}>
              {words.redo}
            </Button>
            <Button size="small" disabled={selected.length === 0} onClick={remove}>
              {words.remove}
            </Button>
            <Button size="small" disabled={one == null} loading={fit.isPending} onClick={() => one && fit.mutate(one)}>
              {words.fitToTheCloud}
            </Button>
            <Button size="small" disabled={two == null} onClick={() => apply(two)}>
              {words.join}
            </Button>
            <Button size="small" disabled={!selected.some((d) => d.data.found)} onClick={() => agree(selected)}>
              {words.agree}
            </Button>
            <Button size="small" disabled={!items.some(isToAgree)} onClick={() => agree(items)}>
              {words.agreeWithAll}
            </Button>
          </>
        )}
        <Button size="small" type={cloud ? 'primary' : 'default'} aria-pressed={cloud} onClick={() => setCloud(!cloud)}>
          {words.cloud}
        </Button>
      </div>
      <div className="drawn">
        <figure>
          <DrawCanvas
            items={items}
            cloud={cloud ? points : NOTHING}
            tool={tool}
            editable={edit}
            selected={chosen}
            onSelect={setChosen}
            onDrawn={add}
            onSplit={(d, at) => apply(split(d, at))}
            onMoveEnd={(d, end, to) => apply(moveEnd(d, end, to))}
          />
          <figcaption className="faint">
            {hint} {words.keys}
          </figcaption>
        </figure>
        <Things items={items} selected={chosen} onSelect={setChosen} />
      </div>
      <Files sheet={sheet} onRemove={edit ? () => apply([...all, sheet].map(taken)) : null} />
    </>
  )
}
const NOTHING: Place[] = []

/** A line fitted to what the scans show along it, with what it is uncertain by. */
function useFit(sheet: Drawn, done: (d: Drawn, line: Edit['data']) => void) {
  const job = useJob()
  return useAsk(
    async (d: Drawn) =>
      unwrap(
        await api.POST('/api/jobs/{job}/drawing/fit', {
          params: { path: { job: job.id } },
          body: { sheet: sheet.id, line: ends(d)! },
        }),
      ),
    (line, d) => done(d, line),
  )
}

/** What there is on the plan and how good it is. */
function Said({ sheet, items }: { sheet: Drawn; items: Drawn[] }) {
  const u = useUnits()
  const lines = items.filter((d) => d.kind === 'line')
  const errors = lines.flatMap((d) => worstOf(d) ?? []).sort((a, b) => a - b)
  const square = lines.filter((d) => d.data.square != null).length
  const moved = Math.max(0, ...(sheet.data.drawn?.squared ?? []).map((s) => s[2] ?? 0))
  const open = items.filter(isToAgree).length
  const unseen = items.filter((d) => d.kind === 'unseen').reduce((n, d) => n + lengthOf(d), 0)
  const number = (kind: string) => items.filter((d) => d.kind === kind).length
  if (items.length === 0) return null
  return (
    <p className="told">
      <b>{words.of(lines.length, number('opening'), number('column'))}</b>
      {errors.length > 0 &&
        `; ${words.lieWithin(u.err(errors[Math.floor(errors.length / 2)]), u.err(errors.at(-1)), u.small)}`}
      . {square > 0 ? words.squareOf(square, lines.length, u.err(moved), u.small) : words.noneSquare}{' '}
      {unseen > 0.5 && `${words.unseenOf(u.len(unseen, 1), u.code)}. `}
      <span className={open ? 'warn' : ''}>{open ? `${words.toAgree(open)}.` : words.allAgreed}</span>
    </p>
  )
}

function Files({ sheet, onRemove }: { sheet: Drawn; onRemove: (() => void) | null }) {
  return (
    <AsFiles of={`drawing/${sheet.id}`} files={FILES}>
      {onRemove && (
        <Confirm title={words.removeSheetSays} onConfirm={onRemove}>
          {words.removeSheet}
        </Confirm>
      )}
    </AsFiles>
  )
}
