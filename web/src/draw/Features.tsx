import { useMemo, useState } from 'react'
import { canEdit, useJob, useKey, useRead } from '../lib/hooks'
import { draw as words } from '../words'
import { AsFiles } from './AsFiles'
import { Coded } from './Coded'
import { CodeTable } from './CodeTable'
import { type Drawn, type Edit, type Place, taken } from './drawn'
import { dense, heightsOf, isFeature, isKnown, missing } from './features'
import { FeaturesSaid } from './FeaturesSaid'
import { FeatureTools, type Tools } from './FeatureTools'
import { FloorLevels } from './FloorLevels'
import { cornersOf, moveCorner } from './ground'
import { GroundCanvas } from './GroundCanvas'
import { InSpace, SeenFrom, type View } from './InSpace'
import { type Drawing, useSlab } from './useDrawing'
import { useMeasure } from './useMeasure'

const FILES = { 'features.dxf': 'DXF', 'features.xml': 'LandXML', 'features.geojson': 'GeoJSON', 'features.csv': 'CSV' }
const NOTHING: Drawn[] = []
const FIRST: Tools = { drawing: false, code: 'KERB', snap: 'top', every: 2 }

/** Coded points and lines, measured where they are drawn; floor levels of openings. */
export function Features({ drawing }: { drawing: Drawing }) {
  const job = useJob()
  const edit = canEdit(job)
  const codes = drawing.data?.codes ?? []
  const [tools, setTools] = useState<Tools>(FIRST)
  const setDrawing = (drawing: boolean) => setTools({ ...tools, drawing })
  const code = codes.find((c) => c.code === tools.code)
  const { snap } = tools
  const [view, setView] = useState<View>('above')
  const [chosen, setChosen] = useState<string | null>(null)
  const items = useMemo(() => drawing.items.filter(isFeature), [drawing.items])
  const under = useUnder(drawing)
  const one = items.find((d) => d.id === chosen)
  const measure = useMeasure(drawing)
  const draws = code?.is_line ? 'breakline' : 'spot'
  const tool = tools.drawing ? draws : 'pick'
  const add = (corners: Place[]) => {
    if (!code) return
    const id = crypto.randomUUID()
    const of: Edit = { id, kind: 'feature', data: { code: code.code, snap } }
    measure.mutate([{ of, asked: { corners: code.is_line ? dense(corners, tools.every) : corners, snap } }])
    setChosen(id)
  }
  const again = (d: Drawn, line = cornersOf(d)) => {
    const snap = d.data.snap ?? 'ground'
    measure.mutate([{ of: { id: d.id, kind: d.kind, data: d.data }, asked: { corners: line, snap } }])
  }
  const remove = () => one && void drawing.apply([taken(one)])
  useKey('v', () => setDrawing(false))
  useKey('d', () => setDrawing(true), edit)
  useKey('m', () => one && again(one), edit && one != null)
  useKey('delete', remove, edit && one != null)
  useKey('ctrl+z', () => void drawing.undo(), edit)
  useKey('ctrl+y', () => void drawing.redo(), edit)
  useKey('escape', () => {
    setDrawing(false)
    setChosen(null)
  })
  return (
    <>
      <FeaturesSaid items={items} drawing={drawing} onShow={setChosen} />
      <FloorLevels drawing={drawing} items={items} edit={edit} />
      {edit && (
        <FeatureTools
          drawing={drawing}
          codes={codes}
          tools={tools}
          onChange={setTools}
          one={one != null}
          busy={measure.isPending}
          onAgain={() => one && again(one)}
          onRemove={remove}
        />
      )}
      {one && missing(one) > 0 && (
        <p className="warn" role="status">
          {words.nothingThere(
            missing(one),
            cornersOf(one).length,
            words.snaps[one.data.snap ?? 'ground'].toLowerCase(),
          )}
        </p>
      )}
      {items.some(isKnown) && (
        <div className="bar">
          <SeenFrom
            value={tools.drawing ? 'above' : view}
            onChange={(v) => {
              setView(v)
              setDrawing(false)
            }}
          />
        </div>
      )}
      <div className="drawn halves">
        {view === 'space' && !tools.drawing ? (
          <InSpace items={items} chosen={chosen} onChoose={setChosen} />
        ) : (
          <figure>
            <GroundCanvas
              {...under}
              label={words.featurePlan}
              items={items}
              selected={chosen}
              tool={tool}
              editable={edit}
              onSelect={setChosen}
              onDrawn={(_, corners) => add(corners)}
              onMoveCorner={(d, k, to) => again(d, moveCorner(d, k, to).data!.line as Place[])}
            />
            <figcaption className="faint">
              {words.featureHints[tool]} {words.featureKeys}
            </figcaption>
          </figure>
        )}
        <Coded items={items} drawing={drawing} selected={chosen} onSelect={setChosen} edit={edit} />
      </div>
      {items.some(isKnown) && <AsFiles of="features" files={FILES} />}
      {edit && <CodeTable codes={codes} drawing={drawing} />}
    </>
  )
}

/** What lies under the features: contours where the ground was found, plans, and the cloud at the level of the first. */
function useUnder(drawing: Drawing) {
  const ground = useRead('/api/jobs/{job}/ground')
  const found = ground.data?.found
  const sheets = drawing.items.filter((d) => d.kind === 'sheet')
  const walls = useMemo(() => drawing.items.filter((d) => d.kind === 'line' || d.kind === 'opening'), [drawing.items])
  const cloud = useSlab(sheets[0], walls.length > 0 ? walls : NOTHING, true)
  const contours = useMemo(
    () => (found?.contours ?? []).map(([height, line]) => ({ height, line: line as Place[] })),
    [found?.contours],
  )
  const heights = useMemo(
    () =>
      new Map(
        drawing.items.filter(isFeature).flatMap((d) => {
          const [low] = heightsOf(d) ?? []
          return low == null ? [] : [[d.id, low] as const]
        }),
      ),
    [drawing.items],
  )
  return { contours, apart: found?.apart ?? 1, walls, cloud, heights }
}
