import { Button, Popover, Segmented, Select } from 'antd'
import { useJob } from '../lib/hooks'
import { Arrange } from './Arrange'
import { ByNumber } from './ByNumber'
import { freeName } from './drawing'
import { ImportPart } from './ImportPart'
import { type MapMode, MAPS } from './maps'
import type { Tool } from './PlanCanvas'
import type { Item, usePlan } from './usePlan'

const TOOLS: { value: Tool; label: string }[] = [
  { value: 'pick', label: 'Pick' },
  { value: 'station', label: 'Station' },
  { value: 'target', label: 'Target' },
  { value: 'wall', label: 'Wall' },
]
/** What is drawn less often. */
const MORE: { value: Tool; label: string; says: string }[] = [
  { value: 'obstacle', label: 'Obstacle', says: 'o: a closed outline that stands in the way' },
  { value: 'column', label: 'Column', says: 'c: round' },
  { value: 'floor', label: 'Floor', says: 'f: a level surface, between storeys or wanted itself' },
  { value: 'area', label: 'Area', says: 'a: no instrument, or a hazard' },
  { value: 'edge', label: 'Breakline', says: 'e: where the ground falls' },
  { value: 'height', label: 'Spot height', says: 'h: a known height of the ground' },
]
const FILES = [
  ['sheet.pdf', 'Plan sheet to print (PDF)'],
  ['field.html', 'Field copy for the tablet, needs no connection'],
  ['plan.dxf', 'Plan as DXF'],
  ['plan.geojson', 'Plan as GeoJSON'],
  ['plan.csv', 'Stations and targets as CSV'],
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
    <div className="tools" role="toolbar" aria-label="Plan tools">
      {p.edit && (
        <>
          <Segmented<Tool> aria-label="Tool" value={tool} onChange={setTool} options={TOOLS} />
          <Select<Tool, (typeof MORE)[number]>
            aria-label="More to draw"
            value={MORE.some((m) => m.value === tool) ? tool : undefined}
            placeholder="More…"
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
        <Button>Print, export</Button>
      </Popover>
      <Segmented
        aria-label="Plan or 3-D"
        value={p.space ? '3-D' : 'Plan'}
        options={['Plan', '3-D']}
        onChange={(v) => {
          p.setSpace(v === '3-D')
          setTool('pick')
          if (v === '3-D' && p.mode === 'station') p.setMode('count')
        }}
      />
      <Select<MapMode, (typeof MAPS)[number]>
        aria-label="Map"
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
        Undo
      </Button>
      <Button disabled={!plan.canRedo} onClick={() => void plan.redo()}>
        Redo
      </Button>
      <Popover
        trigger="click"
        placement="bottomLeft"
        content={
          <Arrange items={chosen} free={(kind, taken) => freeName(items, kind, taken)} onApply={(c) => void apply(c)} />
        }
      >
        <Button disabled={chosen.length === 0}>Arrange</Button>
      </Popover>
      <Popover
        trigger="click"
        placement="bottomLeft"
        content={<ByNumber items={items} onApply={(c) => void apply(c)} />}
      >
        <Button>By number</Button>
      </Popover>
      <Popover trigger="click" placement="bottomLeft" content={<ImportPart />}>
        <Button>Import</Button>
      </Popover>
    </>
  )
}
