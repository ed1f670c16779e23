import { Button, Popover, Segmented, Select } from 'antd'
import { useJob } from '../lib/hooks'
import { Arrange } from './Arrange'
import { ByNumber } from './ByNumber'
import { freeName } from './drawing'
import { ImportPart } from './ImportPart'
import { type MapMode, MAPS } from './maps'
import type { Tool } from './PlanCanvas'
import type { Item, usePlan } from './usePlan'
import { plan as words } from '../words'

const TOOLS: { value: Tool; label: string }[] = [
  { value: 'pick', label: words.pick },
  { value: 'station', label: words.station },
  { value: 'target', label: words.target },
  { value: 'wall', label: words.wall },
]
/** What is drawn less often. */
const MORE: { value: Tool; label: string; says: string }[] = [
  { value: 'obstacle', label: words.obstacle, says: words.oAClosedOutline },
  { value: 'column', label: words.column, says: words.cRound },
  { value: 'floor', label: words.floor, says: words.fALevelSurface },
  { value: 'area', label: words.area, says: words.aNoInstrumentOr },
  { value: 'edge', label: words.breakline, says: words.eWhereTheGround },
  { value: 'walk', label: words.walk, says: words.mAWayWithA },
  { value: 'height', label: words.spotHeight, says: words.hAKnownHeight },
]
const FILES = [
  ['sheet.pdf', words.planSheetToPrint],
  ['field.html', words.fieldCopyForThe],
  ['plan.dxf', words.planAsDxf],
  ['plan.geojson', words.planAsGeojson],
  ['plan.csv', words.stationsAndTargetsAs],
]

interface Props {
  plan: ReturnType<typeof usePlan>
  edit: boolean
  chosen: Item[]
  tool: Tool
  setTool: (t: Tool) => void
  space: boolean
  setSpace: (on: boolean) => void
  mode: MapMode
  setMode: (m: MapMode) => void
}

const said = (o: { data: { label?: React.ReactNode; says: string } }) => (
  <div>
    {o.data.label}
    <br />
    <small className="faint">{o.data.says}</small>
  </div>
)

/** What is drawn, arranged, imported, exported, and shown. */
export function PlanTools(p: Props) {
  const job = useJob()
  const { tool, setTool } = p
  return (
    <div className="tools" role="toolbar" aria-label={words.planTools}>
      {p.edit && (
        <>
          <Segmented<Tool> aria-label={words.tool} value={tool} onChange={setTool} options={TOOLS} />
          <Select<Tool, (typeof MORE)[number]>
            aria-label={words.moreToDraw}
            value={MORE.some((m) => m.value === tool) ? tool : undefined}
            placeholder={words.more}
            onChange={setTool}
            style={{ width: 104 }}
            popupMatchSelectWidth={310}
            virtual={false}
            listHeight={380}
            options={MORE}
            optionRender={said}
          />
          <EditTools {...p} />
        </>
      )}
      <Popover
        trigger="click"
        placement="bottomLeft"
        content={
          <div className="slices">
            {FILES.map(([file, words]) => (
              <a key={file} href={`/api/jobs/${job.id}/plan/files/${file}`} download>
                {words}
              </a>
            ))}
          </div>
        }
      >
        <Button>{words.printExport}</Button>
      </Popover>
      <Segmented
        aria-label={words.planOr3D}
        value={p.space ? 'space' : 'plan'}
        options={[
          { value: 'plan', label: words.inPlan },
          { value: 'space', label: '3-D' },
        ]}
        onChange={(v) => {
          p.setSpace(v === 'space')
          setTool('pick')
          if (v === 'space' && p.mode === 'station') p.setMode('count')
        }}
      />
      <Select<MapMode, (typeof MAPS)[number]>
        aria-label={words.map}
        value={p.mode}
        onChange={p.setMode}
        style={{ width: 176 }}
        popupMatchSelectWidth={330}
        virtual={false}
        listHeight={380}
        options={MAPS.filter((m) => !p.space || m.value !== 'station')}
        optionRender={said}
      />
    </div>
  )
}

function EditTools({ plan, chosen }: Props) {
  const { items, apply } = plan
  return (
    <>
      <Button disabled={!plan.canUndo} onClick={() => void plan.undo()}>
        {words.undo}
      </Button>
      <Button disabled={!plan.canRedo} onClick={() => void plan.redo()}>
        {words.redo}
      </Button>
      <Popover
        trigger="click"
        placement="bottomLeft"
        content={
          <Arrange items={chosen} free={(kind, taken) => freeName(items, kind, taken)} onApply={(c) => void apply(c)} />
        }
      >
        <Button disabled={chosen.length === 0}>{words.arrange}</Button>
      </Popover>
      <Popover
        trigger="click"
        placement="bottomLeft"
        content={<ByNumber items={items} onApply={(c) => void apply(c)} />}
      >
        <Button>{words.byNumber}</Button>
      </Popover>
      <Popover trigger="click" placement="bottomLeft" content={<ImportPart />}>
        <Button>{words.importWord}</Button>
      </Popover>
    </>
  )
}
