import { Button, Popover, Segmented, Select, Upload } from 'antd'
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob, useKey, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Arrange } from '../plan/Arrange'
import { CoverPart } from '../plan/CoverPart'
import { Density } from '../plan/Density'
import { Elevation } from '../plan/Elevation'
import { Findings } from '../plan/Findings'
import { FitUnderlay } from '../plan/FitUnderlay'
import { ItemForm } from '../plan/ItemForm'
import { Leapfrog } from '../plan/Leapfrog'
import { fromAbove, type MapMode, MAPS, type Surface } from '../plan/maps'
import { PlanCanvas, type Tool } from '../plan/PlanCanvas'
import { Propose } from '../plan/Propose'
import { SliceCloud } from '../plan/SliceCloud'
import { onStorey, storeyAt, storeysOf } from '../plan/storeys'
import { type Change, type Item, usePlan } from '../plan/usePlan'

const HINTS: Record<Tool, string> = {
  fit: 'Click two points of the picture that you know',
  pick: 'Click to pick, shift-click to add, drag to move; drag a vertex to reshape',
  wall: 'Click along the wall, double-click to end, Esc to leave',
  obstacle: 'Click round the obstacle, double-click to close',
  column: 'Click the middle of the column',
  floor: 'Click round the floor, double-click to close',
  area: 'Click round the area, double-click to close',
  edge: 'Click along the edge where the ground falls, double-click to end',
  height: 'Click where the height of the ground is known, then enter it',
  station: 'Click where the instrument stands',
  target: 'Click where the target stands',
}
const PREFIX: Record<string, string> = {
  station: 'S',
  target: 'K',
  wall: 'Wall ',
  obstacle: 'Obstacle ',
  column: 'Column ',
  floor: 'Floor ',
  area: 'Area ',
  edge: 'Edge ',
  height: 'H',
}
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
  { value: 'edge', label: 'Edge', says: 'e: where the ground falls' },
  { value: 'height', label: 'Height', says: 'h: a known height of the ground' },
]
const Cover3d = lazy(async () => ({ default: (await import('../plan/Cover3d')).Cover3d }))
type Page = 'findings' | 'cover' | 'propose' | 'leapfrog' | 'density'
const NONE: number[][] = []
const NO_LINKS: { line: [number, number][]; bridge: boolean; says: string }[] = []

/** Where to stand, what will be seen, and what error will come out. */
export default function Plan() {
  const job = useJob()
  const u = useUnits()
  const edit = canEdit(job)
  const plan = usePlan()
  const { items, apply } = plan
  const [tool, setTool] = useState<Tool>('pick')
  const [picked, setPicked] = useState<string[]>([])
  const [page, setPage] = useState<Page>('findings')
  const [space, setSpace] = useState(false)
  const [mode, setMode] = useState<MapMode>('station')
  const [ghost, setGhost] = useState<Schema['AlternativeDto'] | null>(null)
  const [moves, setMoves] = useState<Schema['MoveDto'][]>([])
  const [live, setLive] = useState<{ id: string; look: Schema['LookDto'] } | null>(null)
  // one storey is drawn at a time, or all
  const storeys = useMemo(() => storeysOf(items), [items])
  const [wanted, setStorey] = useState<number | 'all'>(0)
  const storey = storeys.length > 0 && wanted !== 'all' ? Math.min(wanted, storeys.length - 1) : null
  const shown = useMemo(
    () => (storey === null ? items : items.filter((i) => onStorey(i, storeys, storey))),
    [items, storeys, storey],
  )
  const level = storey === null ? null : storeys[storey]!
  const here = useCallback((z: number) => storey === null || storeyAt(storeys, z) === storey, [storeys, storey])
  // what is picked in the ledger is drawn, on whatever storey it stands
  useEffect(() => {
    const hidden = picked.length === 1 && items.find((i) => i.id === picked[0] && !shown.includes(i))
    if (hidden)
      setStorey(
        storeyAt(
          storeys,
          hidden.kind === 'station' || hidden.kind === 'target'
            ? (hidden.data.position?.[2] ?? 0)
            : (hidden.data.base ?? 0),
        ),
      )
    // only when the choice changes: whoever then looks at another storey may
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [picked])
  const cover = useRead<Schema['CoverDto']>(
    '/api/jobs/{job}/plan/cover',
    items.some((i) => i.kind === 'station'),
  )
  const revision = items.map((i) => i.version).join()
  const maps = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/plan/map', revision, job.version],
    enabled: (mode !== 'station' || space) && items.length > 0,
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/plan/map', { params: { path: { job: job.id } } })),
  })
  const [unit, setUnit] = useState('')
  const imported = useChange(async (text: string) =>
    unwrap(
      await api.POST('/api/jobs/{job}/plan/import', {
        params: { path: { job: job.id }, query: { unit: unit || undefined } },
        body: text,
        bodySerializer: (b: string) => b,
        headers: { 'Content-Type': 'application/geo+json' },
      }),
    ),
  )

  const underlay = useChange(async (f: File) => {
    const { width, height } = await createImageBitmap(f)
    return unwrap(
      await api.POST('/api/jobs/{job}/plan/underlays', {
        params: { path: { job: job.id }, query: { name: f.name.slice(0, 80), width, height } },
        body: f as never,
        bodySerializer: (b: unknown) => b as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
  })
  const free = useCallback(
    (kind: string, taken?: Set<string>) => {
      const names = new Set(items.filter((i) => i.kind === kind).map((i) => i.data.name.toLowerCase()))
      for (let k = 1; ; k++) {
        const name = `${PREFIX[kind]}${k}`
        if (!names.has(name.toLowerCase()) && !taken?.has(`${kind} ${name.toLowerCase()}`)) return name
      }
    },
    [items],
  )
  const [fitLine, setFitLine] = useState<[number, number][] | null>(null)
  const drawn = (kind: Tool, line: [number, number][]) => {
    if (kind === 'fit') {
      setFitLine(line)
      setTool('pick')
      return
    }
    const [x, y] = line[0] ?? [0, 0]
    const id = crypto.randomUUID()
    const foot = level ?? 0
    const base = {
      name: free(kind),
      base: kind === 'edge' ? -2 : foot,
      top: foot + (kind === 'wall' || kind === 'column' ? 3 : kind === 'obstacle' ? 1.5 : 0),
      position: [0, 0, 0] as [number, number, number],
    }
    // above the nearest height of the ground that is known
    const known = items.filter((i) => i.kind === 'height').map((i) => i.data.position ?? [0, 0, 0])
    const nearest = known.sort((p, q) => Math.hypot(p[0]! - x, p[1]! - y) - Math.hypot(q[0]! - x, q[1]! - y))[0]
    const ground = level !== null && level > (storeys[0] ?? 0) ? level : (nearest?.[2] ?? foot)
    const at = (z: number) => ({
      ...base,
      position: [x, y, Number((ground + z).toFixed(4))] as [number, number, number],
    })
    const data: Schema['PlanData'] =
      kind === 'station'
        ? at(1.65)
        : kind === 'target'
          ? { ...at(1.4), target: 'sphere' }
          : kind === 'height'
            ? at(0)
            : kind === 'column'
              ? { ...at(0), base: ground, top: ground + 3, radius: 0.2 }
              : kind === 'area'
                ? { ...base, line, area: 'no_go' }
                : { ...base, line }
    void apply([{ id, kind, data }]).then((ok) => ok && setPicked([id]))
  }
  const moved = (id: string, line: [number, number][]) => {
    setLive(null)
    const item = items.find((i) => i.id === id)
    if (!item) return
    const point = ['station', 'target', 'column', 'height'].includes(item.kind)
    const [x, y] = line[0] ?? [0, 0]
    const to = (i: Item): [number, number, number] => [x, y, i.data.position?.[2] ?? 0]
    // a station that is dragged leaves its mark; a mark that is dragged takes the stations over it along
    const data = point
      ? {
          ...item.data,
          position: to(item),
          over: undefined,
          instrument_height: item.data.over ? undefined : item.data.instrument_height,
        }
      : { ...item.data, line }
    const along = item.kind === 'target' ? items.filter((i) => i.data.over === id) : []
    void apply([
      { id, kind: item.kind, data },
      ...along.map((i) => ({ id: i.id, kind: i.kind, data: { ...i.data, position: to(i) } })),
    ])
  }
  // what a station would cover follows it while it is dragged: one question at a time
  const asking = useRef<[number, number] | 'idle' | 'busy'>('idle')
  const drag = (id: string, at: [number, number]) => {
    const item = items.find((i) => i.id === id)
    if (item?.kind !== 'station') return
    if (asking.current !== 'idle') {
      asking.current = at
      return
    }
    asking.current = 'busy'
    const z = item.data.position?.[2] ?? 1.65
    void api
      .POST('/api/jobs/{job}/plan/look', {
        params: { path: { job: job.id } },
        body: { position: [...at, z], step: item.data.step, instead_of: id },
      })
      .then((r) => r.data && setLive({ id, look: r.data }))
      .finally(() => {
        const next = asking.current
        asking.current = 'idle'
        if (Array.isArray(next)) drag(id, next)
      })
  }
  const chosen = items.filter((i) => picked.includes(i.id))
  const remove = () => void apply(chosen.map((i) => ({ id: i.id, kind: i.kind, data: null }))).then(() => setPicked([]))
  const lock = () =>
    void apply(
      chosen
        .filter((i) => i.kind === 'station')
        .map((i) => ({ id: i.id, kind: i.kind, data: { ...i.data, locked: !i.data.locked } })),
    )
  const change = (c: Change[]) => void apply(c)
  useKey('v', () => setTool('pick'))
  useKey('w', () => setTool('wall'), edit)
  useKey('o', () => setTool('obstacle'), edit)
  useKey('c', () => setTool('column'), edit)
  useKey('e', () => setTool('edge'), edit)
  useKey('h', () => setTool('height'), edit)
  useKey('f', () => setTool('floor'), edit)
  useKey('a', () => setTool('area'), edit)
  useKey('s', () => setTool('station'), edit)
  useKey('t', () => setTool('target'), edit)
  useKey('ctrl+z', () => void plan.undo(), edit)
  useKey('ctrl+y', () => void plan.redo(), edit)
  useKey('delete', remove, edit && picked.length > 0)
  useKey('l', lock, edit && chosen.some((i) => i.kind === 'station'))
  useKey('escape', () => {
    setTool('pick')
    setGhost(null)
  })

  const item: Item | undefined = chosen.length === 1 ? chosen[0] : undefined
  const at = cover.data?.stations.findIndex((s) => s.station === item?.id) ?? -1
  const limit = job.brief.requirement.spatial95 ?? null
  const flat = job.brief.requirement.horizontal95
  const pickOne = useCallback((id: string) => setPicked([id]), [])
  const byName = (name: string) => {
    const i =
      items.find((x) => x.data.name === name && (x.kind === 'station' || x.kind === 'target')) ??
      items.find((x) => x.data.name === name)
    if (i) setPicked([i.id])
  }
  const widest = Math.max(1e-6, ...(cover.data?.prediction.targets ?? []).map((t) => t.error.horizontal))
  const enlarge = [10, 20, 50, 100, 200, 500, 1000].findLast((f) => f * widest < 2.2) ?? 10
  const ellipses = useMemo(
    () =>
      (cover.data?.prediction.targets ?? [])
        .filter((t) => here(t.position[2] ?? 0))
        .map((t) => ({
          at: [t.position[0], t.position[1]] as [number, number],
          a: t.error.horizontal,
          b: t.error.horizontal_minor,
          bearing: t.error.bearing,
          over: flat != null && t.error.horizontal > flat,
        })),
    [cover.data, flat, here],
  )
  const surfaces: Surface[] | undefined = maps.data
  const map = useMemo(
    () =>
      mode === 'station' || !surfaces
        ? []
        : fromAbove(
            mode,
            surfaces.filter((s) => shown.some((i) => i.id === s.item)),
            limit,
          ),
    [mode, surfaces, limit, shown],
  )
  const ghosts = useMemo(
    () =>
      (ghost?.stations ?? []).flatMap((s, k) =>
        here(s[2] ?? 0) ? [{ at: [s[0], s[1]] as [number, number], order: k + 1 }] : [],
      ),
    [ghost, here],
  )
  const carried = useMemo(
    () =>
      moves.flatMap((m) => {
        const s = items.find((i) => i.kind === 'station' && i.data.name === m.station)?.data.position
        return m.carry.map((c) => ({
          from: [s?.[0] ?? 0, s?.[1] ?? 0] as [number, number],
          to: [c.to[0], c.to[1]] as [number, number],
          name: c.sphere,
        }))
      }),
    [moves, items],
  )
  const links = useMemo(
    () =>
      (cover.data?.links ?? []).flatMap((l) => {
        const [a, b] = [l.from, l.to].map(
          (n) => shown.find((i) => i.kind === 'station' && i.data.name === n)?.data.position,
        )
        const shared = l.targets.length + l.marks.length
        // many labels hide one another: those of the picked station, or few
        const told =
          l.bridge ||
          (cover.data?.links.length ?? 0) <= 10 ||
          items.some((i) => picked.includes(i.id) && (i.data.name === l.from || i.data.name === l.to))
        return a && b
          ? [
              {
                line: [
                  [a[0]!, a[1]!],
                  [b[0]!, b[1]!],
                ] as [number, number][],
                bridge: l.bridge,
                says: told ? `${(100 * l.overlap).toFixed(0)} %${shared ? `, ${shared}` : ''}` : '',
              },
            ]
          : []
      }),
    [cover.data, items, shown, picked],
  )
  const sights = useMemo(
    () =>
      shown.flatMap((s) =>
        (s.data.sights ?? []).flatMap((id) => {
          const mark = items.find((i) => i.id === id)?.data.position
          const from = s.data.position
          return mark && from
            ? [
                [
                  [from[0], from[1]],
                  [mark[0], mark[1]],
                ] as [number, number][],
              ]
            : []
        }),
      ),
    [items, shown],
  )
  const marks = useMemo(
    () =>
      (cover.data?.traps ?? [])
        .filter((t) => t.at && (storey === null || shown.some((i) => t.about.includes(i.data.name))))
        .map((t) => ({ at: t.at as [number, number], failed: t.grade === 'failed' })),
    [cover.data, shown, storey],
  )
  const seen = live ? live.look.seen : mode === 'station' && at >= 0 ? (cover.data?.stations[at]?.seen ?? NONE) : NONE
  const surface = mode !== 'station' ? surfaces?.find((s) => s.item === item?.id) : undefined
  const order = (cover.data?.stations ?? []).map((s) => s.name)
  return (
    <div className="split">
      <div className="canvas with-elevation">
        <div className="canvas-top">
          {space && surfaces ? (
            <Suspense fallback={<p className="empty">Drawing it…</p>}>
              <Cover3d
                items={items}
                surfaces={surfaces}
                mode={mode}
                limit={limit}
                selected={picked}
                onSelect={pickOne}
              />
            </Suspense>
          ) : (
            <PlanCanvas
              job={job.id}
              items={shown}
              ready={!plan.pending}
              tool={tool}
              editable={edit}
              selected={picked}
              onSelect={setPicked}
              onDrawn={drawn}
              onMoved={moved}
              onDrag={drag}
              seen={seen}
              map={map}
              ghosts={ghosts}
              links={page === 'cover' ? links : NO_LINKS}
              sights={sights}
              carried={page === 'leapfrog' ? carried : []}
              marks={page === 'findings' ? marks : []}
              ellipses={mode === 'station' ? ellipses : []}
              enlarge={enlarge}
            />
          )}
          <div className="tools" role="toolbar" aria-label="Plan tools">
            {edit && (
              <>
                <Segmented<Tool> value={tool} onChange={setTool} options={TOOLS} />
                <Select<Tool>
                  aria-label="More to draw"
                  value={MORE.some((m) => m.value === tool) ? tool : undefined}
                  placeholder="More…"
                  onChange={setTool}
                  style={{ width: 104 }}
                  popupMatchSelectWidth={310}
                  virtual={false}
                  listHeight={380}
                  options={MORE}
                  optionRender={(o) => (
                    <div>
                      {o.data.label}
                      <br />
                      <small className="faint">{o.data.says}</small>
                    </div>
                  )}
                />
                <Button disabled={!plan.canUndo} onClick={() => void plan.undo()}>
                  Undo
                </Button>
                <Button disabled={!plan.canRedo} onClick={() => void plan.redo()}>
                  Redo
                </Button>
                <Popover
                  trigger="click"
                  placement="bottomLeft"
                  content={<Arrange items={chosen} free={free} onApply={change} />}
                >
                  <Button disabled={chosen.length === 0}>Arrange</Button>
                </Popover>
                <Popover
                  trigger="click"
                  placement="bottomLeft"
                  content={
                    <div className="slices">
                      <label>
                        Unit of a DXF drawing
                        <Select
                          aria-label="Unit of the drawing"
                          value={unit}
                          onChange={setUnit}
                          options={[
                            { value: '', label: 'as the drawing says' },
                            { value: 'm', label: 'metres' },
                            { value: 'mm', label: 'millimetres' },
                            { value: 'ft', label: 'international feet' },
                            { value: 'ftUS', label: 'US survey feet' },
                            { value: 'in', label: 'inches' },
                          ]}
                        />
                      </label>
                      <Upload
                        accept=".png,.jpg,.jpeg"
                        showUploadList={false}
                        beforeUpload={(f) => {
                          underlay.mutate(f)
                          return false
                        }}
                      >
                        <Button>Lay a picture under the plan</Button>
                      </Upload>
                      <SliceCloud />
                      <Upload
                        accept=".geojson,.json,.dxf"
                        showUploadList={false}
                        beforeUpload={(f) => {
                          void f.text().then((t) => imported.mutate(t))
                          return false
                        }}
                      >
                        <Button type="primary">Import DXF or GeoJSON</Button>
                      </Upload>
                    </div>
                  }
                >
                  <Button>Import</Button>
                </Popover>
              </>
            )}
            <Popover
              trigger="click"
              placement="bottomLeft"
              content={
                <div className="slices">
                  {[
                    ['sheet.pdf', 'Plan sheet to print (PDF)'],
                    ['field.html', 'Field copy for the tablet, needs no connection'],
                    ['plan.dxf', 'Plan as DXF'],
                    ['plan.geojson', 'Plan as GeoJSON'],
                    ['plan.csv', 'Stations and targets as CSV'],
                  ].map(([file, words]) => (
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
              value={space ? '3-D' : 'Plan'}
              options={['Plan', '3-D']}
              onChange={(v) => {
                setSpace(v === '3-D')
                setTool('pick')
                if (v === '3-D' && mode === 'station') setMode('count')
              }}
            />
            <Select<MapMode>
              aria-label="Map"
              value={mode}
              onChange={setMode}
              style={{ width: 176 }}
              popupMatchSelectWidth={330}
              virtual={false}
              listHeight={380}
              options={MAPS.filter((m) => !space || m.value !== 'station').map((m) => ({
                value: m.value,
                label: m.label,
                says: m.says,
              }))}
              optionRender={(o) => (
                <div>
                  {o.data.label}
                  <br />
                  <small className="faint">{o.data.says}</small>
                </div>
              )}
            />
          </div>
          {storeys.length > 0 && !space && (
            <Segmented<number | 'all'>
              className="storeys"
              aria-label="Storey"
              vertical
              value={storey ?? 'all'}
              onChange={setStorey}
              options={[
                { value: 'all', label: 'all' },
                ...storeys.map((z, k) => ({ value: k, label: `${u.len(z, 2)} ${u.code}` })).reverse(),
              ]}
            />
          )}
          {!(space && surfaces) && (
            <div className="hint">
              {live
                ? `here it covers ${u.area(live.look.area)}${live.look.once == null ? '' : `, all together ${(100 * live.look.once).toFixed(1)} % of what is required`}; measures ${live.look.targets.join(' ') || 'no target'}`
                : `${edit ? HINTS[tool] : 'Click to pick'} · ${plan.saving ? 'storing…' : 'stored'}${mode !== 'station' ? ` · ${maps.isFetching ? 'working it out…' : MAPS.find((m) => m.value === mode)?.says}` : ellipses.length > 0 ? ` · ellipses 95 %, enlarged ${enlarge}×` : ''}`}
            </div>
          )}
        </div>
        {surface && <Elevation surface={surface} mode={mode} limit={limit} />}
      </div>
      <aside className="side">
        {item?.kind === 'underlay' && edit && (
          <FitUnderlay
            key={`${item.id} ${JSON.stringify(fitLine)}`}
            item={item}
            line={fitLine}
            onStart={() => {
              setFitLine(null)
              setTool('fit')
            }}
            onFit={(data) => {
              setFitLine(null)
              void apply([{ id: item.id, kind: item.kind, data }])
            }}
          />
        )}
        {item ? (
          <ItemForm
            key={`${item.id}-${item.version}`}
            item={item}
            items={items}
            edit={edit}
            step={job.brief.instrument.step}
            onChange={(data) => void apply([{ id: item.id, kind: item.kind, data }])}
            onRemove={remove}
          />
        ) : chosen.length > 1 ? (
          <p>
            {chosen.length} picked:{' '}
            {chosen
              .slice(0, 8)
              .map((i) => i.data.name)
              .join(', ')}
            {chosen.length > 8 && ' …'}. Arrange copies, turns or mirrors them; Delete removes them.
          </p>
        ) : (
          <p className="empty">
            {items.length === 0
              ? 'An empty plan. Draw walls (w), then stations (s) and targets (t), or import DXF or GeoJSON.'
              : 'Pick something on the plan or in the ledger.'}
          </p>
        )}
        <Segmented<Page>
          block
          value={page}
          onChange={setPage}
          options={[
            { value: 'findings', label: 'Findings' },
            { value: 'cover', label: 'Cover' },
            { value: 'propose', label: 'Propose' },
            { value: 'leapfrog', label: 'Leapfrog' },
            { value: 'density', label: 'Density' },
          ]}
        />
        {cover.isError && <p className="warn">{cover.error.message}</p>}
        {page === 'findings' &&
          (cover.data ? (
            <Findings cover={cover.data} items={items} onSelect={byName} onApply={change} free={free} />
          ) : (
            <p className="empty">
              {cover.isFetching
                ? 'Working it out…'
                : 'Place stations to see what would come out, and what would go wrong.'}
            </p>
          ))}
        {page === 'cover' && cover.data && (
          <CoverPart
            cover={cover.data}
            items={items}
            at={at}
            selected={item?.id ?? null}
            onSelect={(id) => setPicked(id ? [id] : [])}
          />
        )}
        {page === 'propose' && <Propose items={items} free={free} shown={ghost} onShow={setGhost} onApply={change} />}
        {page === 'leapfrog' && <Leapfrog items={items} order={order} onMoves={setMoves} onApply={change} />}
        {page === 'density' && <Density count={Math.max(1, items.filter((i) => i.kind === 'station').length)} />}
      </aside>
    </div>
  )
}
