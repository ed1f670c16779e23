import { Button, Input, Segmented } from 'antd'
import { useMemo, useState } from 'react'
import type { Schema } from '../api/client'
import { count } from '../lib/count'
import { canEdit, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Caution, States } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'
import { draw as words } from '../words'
import { AsFiles } from './AsFiles'
import { type Drawn, type DrawnData, type Edit, type Place, taken } from './drawn'
import { FindGround } from './FindGround'
import { type GroundKind, isOnGround, moveCorner } from './ground'
import { GroundCanvas, type GroundTool } from './GroundCanvas'
import { OnTheGround } from './OnTheGround'
import { OtherSurfaces } from './OtherSurfaces'
import type { Drawing } from './useDrawing'

const FILES = {
  'ground.pdf': 'PDF',
  'ground.xml': 'LandXML',
  'ground.dxf': 'DXF',
  'ground.tif': 'GeoTIFF',
  'ground.csv': 'CSV',
}

/** The ground: found under what stands on it, with contours, heights and volumes. */
export function Ground({ drawing }: { drawing: Drawing }) {
  const read = useRead('/api/jobs/{job}/ground')
  const tasks = useRead('/api/jobs/{job}/tasks')
  const busy = !!tasks.data?.some((t) => t.kind === 'ground' && (t.state === 'running' || t.state === 'queued'))
  const found = read.data?.found
  return (
    <States of={read} what={words.ground}>
      {!found && <p className="empty">{words.noGround}</p>}
      <FindGround key={found?.at ?? ''} last={found?.request} busy={busy} />
      <Tasks kinds={['ground']} ended={1} />
      {found && read.data && <Found ground={read.data} found={found} drawing={drawing} />}
      <Caution>{words.groundCaution}</Caution>
    </States>
  )
}

function Found({
  ground,
  found,
  drawing,
}: {
  ground: Schema['GroundDto']
  found: Schema['FoundGroundDto']
  drawing: Drawing
}) {
  const job = useJob()
  const edit = canEdit(job)
  const [tool, setTool] = useState<GroundTool>('pick')
  const [chosen, setChosen] = useState<string | null>(null)
  const items = useMemo(() => drawing.items.filter(isOnGround), [drawing.items])
  const walls = useMemo(() => drawing.items.filter((d) => d.kind === 'line'), [drawing.items])
  const contours = useMemo(
    () => found.contours.map(([height, line]) => ({ height, line: line as Place[] })),
    [found.contours],
  )
  const heights = useMemo(() => new Map(ground.spots.map((s) => [s.id, s.height])), [ground.spots])
  const one = items.find((d) => d.id === chosen)
  const apply = (edits: Edit[]) => void drawing.apply(edits)
  const add = (kind: GroundKind, corners: Place[]) => {
    const id = crypto.randomUUID()
    const data: DrawnData = kind === 'spot' ? { position: corners[0]! } : { line: corners }
    // an area is measured to its middle height until somebody says another
    if (kind === 'area') data.height = Math.round((found.heights[0]! + found.heights[1]!) * 5) / 10
    apply([{ id, kind, data }])
    setChosen(id)
    if (kind !== 'spot') setTool('pick')
  }
  const remove = () => one && apply([taken(one)])
  useKey('v', () => setTool('pick'))
  useKey('h', () => setTool('spot'), edit)
  useKey('b', () => setTool('breakline'), edit)
  useKey('a', () => setTool('area'), edit)
  useKey('delete', remove, edit && one != null)
  useKey('ctrl+z', () => void drawing.undo(), edit)
  useKey('ctrl+y', () => void drawing.redo(), edit)
  useKey('ctrl+shift+z', () => void drawing.redo(), edit)
  useKey('escape', () => {
    setTool('pick')
    setChosen(null)
  })
  return (
    <>
      <Said found={found} />
      {edit && (
        <div className="bar draw-tools">
          <Segmented<GroundTool>
            size="small"
            aria-label={words.tool}
            value={tool}
            onChange={setTool}
            options={(['pick', 'spot', 'breakline', 'area'] as const).map((value) => ({
              value,
              label: words.groundTools[value],
            }))}
          />
          <Button size="small" disabled={!drawing.canUndo} onClick={() => void drawing.undo()}>
            {words.undo}
          </Button>
          <Button size="small" disabled={!drawing.canRedo} onClick={() => void drawing.redo()}>
            {words.redo}
          </Button>
          <Button size="small" disabled={one == null} onClick={remove}>
            {words.remove}
          </Button>
          {one && one.kind !== 'breakline' && (
            <About key={`${one.id} ${one.version}`} of={one} onChange={(e) => apply([e])} />
          )}
        </div>
      )}
      <div className="drawn halves">
        <figure>
          <GroundCanvas
            contours={contours}
            apart={found.apart}
            items={items}
            walls={walls}
            heights={heights}
            selected={chosen}
            tool={tool}
            editable={edit}
            onSelect={setChosen}
            onDrawn={add}
            onMoveCorner={(d, k, to) => apply([moveCorner(d, k, to)])}
          />
          <figcaption className="faint">
            {words.groundHints[tool]} {words.groundKeys}
          </figcaption>
        </figure>
        <OnTheGround items={items} ground={ground} selected={chosen} onSelect={setChosen} />
      </div>
      <OtherSurfaces ground={ground} items={items} />
      <AsFiles of="ground" files={FILES} />
    </>
  )
}

/** What a spot or an area is called, and the level that an area is measured to. */
function About({ of, onChange }: { of: Drawn; onChange: (e: Edit) => void }) {
  const [name, setName] = useState(of.data.name ?? '')
  const [level, setLevel] = useState<number | null>(of.data.height ?? null)
  const keep = () => {
    if (name.trim() !== (of.data.name ?? '') || level !== (of.data.height ?? null))
      onChange({ id: of.id, kind: of.kind, data: { ...of.data, name: name.trim(), height: level } })
  }
  return (
    <form
      className="in-row"
      onBlur={(e) => {
        // from field to field is not yet done
        if (!e.currentTarget.contains(e.relatedTarget)) keep()
      }}
      onSubmit={(e) => {
        e.preventDefault()
        keep()
      }}
    >
      {words.name}
      <Input
        size="small"
        style={{ width: 130 }}
        maxLength={60}
        aria-label={words.name}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      {of.kind === 'area' && (
        <>
          {words.level}
          <span style={{ width: 120 }}>
            <LengthInput dense label={words.level} value={level} onChange={setLevel} />
          </span>
        </>
      )}
    </form>
  )
}

function Said({ found }: { found: Schema['FoundGroundDto'] }) {
  const u = useUnits()
  const [typical, worst] = found.error95
  const [ground, all] = found.points
  return (
    <p className="told">
      <b>{words.groundSeen(u.area(found.area), count(ground ?? 0), count(all ?? 0))}</b>;{' '}
      {words.heightsWithin(u.err(typical), u.err(worst), u.small)}.{' '}
      {words.surfaceOf(count(found.corners), count(found.triangles), u.len(found.apart, 2), u.code)}{' '}
      {found.stale && <span className="warn">{words.groundStale}</span>}
    </p>
  )
}
