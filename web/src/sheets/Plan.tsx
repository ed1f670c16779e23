import { Button, Checkbox, Input, Segmented, Select, Upload } from 'antd'
import { useMemo, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Against, Head, Ledger } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { PlanCanvas, type Tool } from '../plan/PlanCanvas'
import { type Item, usePlan } from '../plan/usePlan'

const HINTS: Record<Tool, string> = {
  pick: 'Click to pick, drag to move; drag a vertex to reshape',
  wall: 'Click along the wall, double-click to end, Esc to leave',
  obstacle: 'Click round the obstacle, double-click to close',
  station: 'Click where the instrument stands',
  target: 'Click where the target stands',
}
const PREFIX: Record<string, string> = { station: 'S', target: 'K', wall: 'Wall ', obstacle: 'Obstacle ' }

/** Where to stand, what will be seen, and what error will come out. */
export default function Plan() {
  const job = useJob()
  const u = useUnits()
  const edit = canEdit(job)
  const plan = usePlan()
  const [tool, setTool] = useState<Tool>('pick')
  const [selected, setSelected] = useState<string | null>(null)
  const cover = useRead<Schema['CoverDto']>('/api/jobs/{job}/plan/cover', plan.items.some((i) => i.kind === 'station'))
  const imported = useChange(async (text: string) => unwrap(await api.POST('/api/jobs/{job}/plan/import', { params: { path: { job: job.id } }, body: text, bodySerializer: (b: string) => b, headers: { 'Content-Type': 'application/geo+json' } })))
  const free = (kind: string) => {
    const names = new Set(plan.items.filter((i) => i.kind === kind).map((i) => i.data.name.toLowerCase()))
    for (let k = 1; ; k++) if (!names.has(`${PREFIX[kind]}${k}`.toLowerCase())) return `${PREFIX[kind]}${k}`
  }
  const drawn = (kind: Tool, line: [number, number][]) => {
    const [x, y] = line[0] ?? [0, 0]
    const id = crypto.randomUUID()
    const base = { name: free(kind), base: 0, top: kind === 'wall' ? 3 : kind === 'obstacle' ? 1.5 : 0, position: [0, 0, 0] as [number, number, number] }
    const data = kind === 'wall' || kind === 'obstacle' ? { ...base, line } : { ...base, position: [x, y, kind === 'station' ? 1.65 : 1.4] as [number, number, number], ...(kind === 'target' ? { target: 'sphere' } : {}) }
    void plan.apply([{ id, kind, data }]).then((ok) => ok && setSelected(id))
  }
  const moved = (id: string, line: [number, number][]) => {
    const item = plan.items.find((i) => i.id === id)
    if (!item) return
    const point = item.kind === 'station' || item.kind === 'target'
    const data = point ? { ...item.data, position: [...(line[0] ?? [0, 0]), item.data.position?.[2] ?? 0] as [number, number, number] } : { ...item.data, line }
    void plan.apply([{ id, kind: item.kind, data }])
  }
  const remove = () => {
    const item = plan.items.find((i) => i.id === selected)
    if (item) void plan.apply([{ id: item.id, kind: item.kind, data: null }]).then(() => setSelected(null))
  }
  useKey('v', () => setTool('pick')); useKey('w', () => setTool('wall'), edit); useKey('o', () => setTool('obstacle'), edit)
  useKey('s', () => setTool('station'), edit); useKey('t', () => setTool('target'), edit)
  useKey('ctrl+z', () => void plan.undo(), edit); useKey('ctrl+y', () => void plan.redo(), edit); useKey('delete', remove, edit && !!selected)
  useKey('escape', () => setTool('pick'))
  const item = plan.items.find((i) => i.id === selected)
  const at = cover.data?.stations.findIndex((s) => s.station === selected) ?? -1
  const limit = job.brief.requirement.horizontal95
  const widest = Math.max(1e-6, ...(cover.data?.prediction.targets ?? []).map((t) => t.error.horizontal))
  const enlarge = [10, 20, 50, 100, 200, 500, 1000].findLast((f) => f * widest < 2.2) ?? 10
  const ellipses = useMemo(() => (cover.data?.prediction.targets ?? []).map((t) => ({ at: [t.position[0], t.position[1]] as [number, number], a: t.error.horizontal, b: t.error.horizontal_minor, bearing: t.error.bearing, over: limit != null && t.error.horizontal > limit })), [cover.data, limit])
  return (
    <div className="split">
      <div className="canvas">
        <PlanCanvas items={plan.items} ready={!plan.pending} tool={tool} editable={edit} selected={selected} onSelect={setSelected} onDrawn={drawn} onMoved={moved}
          seen={at >= 0 ? (cover.data?.stations[at]?.seen ?? []) : []} ellipses={ellipses} enlarge={enlarge} />
        {edit && (
          <div className="tools" role="toolbar" aria-label="Plan tools">
            <Segmented<Tool> value={tool} onChange={setTool} options={[{ value: 'pick', label: 'Pick' }, { value: 'wall', label: 'Wall' }, { value: 'obstacle', label: 'Obstacle' }, { value: 'station', label: 'Station' }, { value: 'target', label: 'Target' }]} />
            <Button disabled={!plan.canUndo} onClick={() => void plan.undo()}>Undo</Button>
            <Button disabled={!plan.canRedo} onClick={() => void plan.redo()}>Redo</Button>
            <Upload accept=".geojson,.json" showUploadList={false} beforeUpload={(f) => { void f.text().then((t) => imported.mutate(t)); return false }}><Button>Import GeoJSON</Button></Upload>
          </div>
        )}
        <div className="hint">{edit ? HINTS[tool] : 'Click to pick'} · {plan.saving ? 'storing…' : 'stored'}{ellipses.length > 0 && ` · ellipses 95 %, enlarged ${enlarge}×`}</div>
      </div>
      <aside className="side">
        {item ? <ItemForm key={`${item.id}-${item.version}`} item={item} edit={edit} onChange={(data) => void plan.apply([{ id: item.id, kind: item.kind, data }])} onRemove={remove} /> : <p className="empty">{plan.items.length === 0 ? 'An empty plan. Draw walls (w), then stations (s) and targets (t), or import GeoJSON.' : 'Pick something on the plan or in the ledger.'}</p>}
        {cover.data && <CoverPart cover={cover.data} items={plan.items} at={at} selected={selected} onSelect={setSelected} />}
        {cover.isError && <p className="warn">{cover.error.message}</p>}
        {cover.data && (
          <>
            <Head aside={cover.data.prediction.on_grid ? 'on the grid, 95 %' : 'within the block, 95 %'}>Predicted error</Head>
            {cover.data.prediction.refused && <p className="warn">{cover.data.prediction.refused}</p>}
            <Ledger label="Predicted error" rows={cover.data.prediction.targets} id={(t) => t.name} empty="Place targets to see the error that will come out."
              tone={(t) => (job.brief.requirement.spatial95 != null && t.error.spatial > job.brief.requirement.spatial95 ? 'bad' : undefined)}
              columns={[
                { head: 'Target', cell: (t) => t.name },
                { head: <>hor. [{u.small}]</>, num: true, cell: (t) => u.err(t.error.horizontal) },
                { head: <>vert. [{u.small}]</>, num: true, cell: (t) => u.err(t.error.vertical) },
                { head: <>3-D [{u.small}]</>, num: true, cell: (t) => u.err(t.error.spatial) },
                { head: 'against the limit', cell: (t) => (job.brief.requirement.spatial95 ? <Against value={t.error.spatial} limit={job.brief.requirement.spatial95} label={t.name} /> : null) },
              ]} />
          </>
        )}
      </aside>
    </div>
  )
}

function CoverPart({ cover, items, at, selected, onSelect }: { cover: Schema['CoverDto']; items: Item[]; at: number; selected: string | null; onSelect: (id: string | null) => void }) {
  const u = useUnits()
  const name = (id: string) => items.find((i) => i.id === id)?.data.name ?? '?'
  const percent = (v: number | null | undefined) => (v == null ? '–' : `${(v * 100).toFixed(0)} %`)
  const station = cover.stations[at]
  return (
    <>
      <Head aside={<>required surfaces covered {percent(cover.once)}, twice {percent(cover.twice)}</>}>Stations and cover</Head>
      <Ledger label="Stations" rows={cover.stations} id={(s) => s.station} selected={selected} onSelect={onSelect} empty="No stations." columns={[
        { head: 'Station', cell: (s) => s.name },
        { head: 'covers', num: true, cell: (s) => u.area(s.area) },
        { head: 'targets', num: true, cell: (s) => s.targets.length },
        { head: 'sees', cell: (s) => s.targets.map(name).join(' ') },
      ]} />
      {station && <p className="faint">{station.name} does not cover: {Object.entries(station.missing).map(([why, area]) => `${u.area(area)} ${why}`).join(', ') || 'nothing'}</p>}
      {cover.stations.length > 1 && (
        <>
          <Head aside="share [%] of what the column covers that the row covers too; under 30 is too little for clouds">Overlap</Head>
          <div style={{ overflowX: 'auto' }}>
            <table className="matrix" aria-label="Overlap matrix">
              <thead><tr><th />{cover.stations.map((s) => <th key={s.station}>{s.name}</th>)}</tr></thead>
              <tbody>{cover.overlap.map((row, i) => <tr key={i}><th>{cover.stations[i]?.name}</th>{row.map((v, j) => <td key={j} className={i === j ? 'self' : v < 0.3 ? 'low' : ''}>{i === j ? '' : (v * 100).toFixed(0)}</td>)}</tr>)}</tbody>
            </table>
          </div>
        </>
      )}
    </>
  )
}

function ItemForm({ item, edit, onChange, onRemove }: { item: Item; edit: boolean; onChange: (d: Schema['PlanData']) => void; onRemove: () => void }) {
  const [d, set] = useState(item.data)
  const put = (part: Partial<Schema['PlanData']>) => set({ ...d, ...part })
  const shape = item.kind === 'wall' || item.kind === 'obstacle'
  const changed = JSON.stringify(d) !== JSON.stringify(item.data)
  return (
    <form onSubmit={(e) => { e.preventDefault(); onChange(d) }}>
      <Head aside={edit && <Button danger size="small" onClick={onRemove}>Remove</Button>}>{item.kind.charAt(0).toUpperCase() + item.kind.slice(1)} {item.data.name}</Head>
      <div className="fields" style={{ gridTemplateColumns: 'repeat(3, 1fr)' }}>
        <div className="field"><label>Name</label><Input aria-label="Name" value={d.name} disabled={!edit} onChange={(e) => put({ name: e.target.value })} /></div>
        {shape ? (
          <>
            <div className="field"><label>Base</label><LengthInput label="Base" value={d.base} disabled={!edit} onChange={(v) => put({ base: v ?? 0 })} /></div>
            <div className="field"><label>Top</label><LengthInput label="Top" value={d.top} disabled={!edit} onChange={(v) => put({ top: v ?? 0 })} /></div>
            {item.kind === 'wall' && <div className="field"><label>Point spacing required</label><LengthInput small label="Point spacing required" value={d.required_spacing} disabled={!edit} onChange={(v) => put({ required_spacing: v ?? undefined })} /></div>}
          </>
        ) : (
          <>
            {['x', 'y', 'z'].map((axis, i) => <div className="field" key={axis}><label>{axis}{axis === 'z' ? ' (centre)' : ''}</label><LengthInput label={axis} value={d.position?.[i]} disabled={!edit} onChange={(v) => put({ position: (d.position ?? [0, 0, 0]).map((o: number, k: number) => (k === i ? (v ?? 0) : o)) as [number, number, number] })} /></div>)}
            {item.kind === 'target' && <div className="field"><label>Kind</label><Select aria-label="Kind" value={d.target ?? 'sphere'} disabled={!edit} style={{ width: '100%' }} onChange={(target) => put({ target })} options={[{ value: 'sphere' }, { value: 'checker' }]} /></div>}
            {item.kind === 'target' && <div className="field" style={{ alignSelf: 'end' }}><Checkbox checked={!!d.control_sigma} disabled={!edit} onChange={(e) => put({ control_sigma: e.target.checked ? [0.002, 0.002] : undefined })}>will be control</Checkbox></div>}
            {d.control_sigma && <div className="field"><label>Control, 1σ</label><LengthInput small label="Control sigma" value={d.control_sigma[0]} disabled={!edit} onChange={(v) => put({ control_sigma: [v ?? 0.002, v ?? 0.002] })} /></div>}
          </>
        )}
      </div>
      {edit && changed && <div className="bar"><Button type="primary" htmlType="submit">Apply</Button><Button onClick={() => set(item.data)}>Leave as it was</Button></div>}
    </form>
  )
}
