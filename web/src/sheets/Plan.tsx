import { useQuery } from '@tanstack/react-query'
import { Segmented } from 'antd'
import { lazy, type ReactNode, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { Days } from '../days/Days'
import { useChoice } from '../lib/choice'
import { num } from '../lib/format'
import { canEdit, useJob, useRead } from '../lib/hooks'
import { usePicks } from '../lib/picks'
import { useTheme } from '../lib/settings'
import { useUnits } from '../lib/units'
import { States } from '../parts'
import { drawnData, footOf, HINTS, movedItems, nudged } from '../plan/drawing'
import { Planned } from '../plan/Elevation'
import { FitUnderlay } from '../plan/FitUnderlay'
import { ItemForm } from '../plan/ItemForm'
import { type MapMode, MAPS } from '../plan/maps'
import { PlanCanvas, type Tool } from '../plan/PlanCanvas'
import { type Page, PlanPages } from '../plan/PlanPages'
import { PlanTools } from '../plan/PlanTools'
import { onStorey, storeyAt, storeysOf } from '../plan/storeys'
import { useLayers } from '../plan/useLayers'
import { type Change, type Item, usePlan } from '../plan/usePlan'
import { usePlanKeys } from '../plan/usePlanKeys'
import { useWalks } from '../plan/walks/useWalks'
import { days, plan as words } from '../words'

const Cover3d = lazy(async () => ({ default: (await import('../plan/space/Cover3d')).Cover3d }))
// one and the same, so that nothing is drawn anew for it
const NONE: never[] = []
type Live = { id: string; look: Schema['LookDto'] } | null

/** The site with its stations, and the days on which they are taken. */
const ROOMS = ['site', 'days'] as const

/** Where to stand, what will be seen, what error will come out, and what happens when. */
export default function Plan() {
  const [room, setRoom] = useChoice('room', ROOMS)
  const rooms = (
    <Segmented
      aria-label={days.room}
      value={room}
      onChange={setRoom}
      options={ROOMS.map((value) => ({ value, label: days.rooms[value] }))}
    />
  )
  return room === 'days' ? <Days rooms={rooms} /> : <Site rooms={rooms} />
}

function Site({ rooms }: { rooms: ReactNode }) {
  const job = useJob()
  const u = useUnits()
  const theme = useTheme()
  const edit = canEdit(job)
  const plan = usePlan()
  const { items, apply } = plan
  const [tool, setTool] = useState<Tool>('pick')
  const [picked, setPicked] = usePickedItems(items)
  const [page, setPage] = useState<Page>('findings')
  const [space, setSpace] = useState(false)
  const [mode, setMode] = useState<MapMode>('station')
  const [ghost, setGhost] = useState<Schema['AlternativeDto'] | null>(null)
  const [moves, setMoves] = useState<Schema['MoveDto'][]>([])
  const [fitLine, setFitLine] = useState<[number, number][] | null>(null)
  const { storeys, storey, setStorey, shown, here, level } = useStorey(items, picked)
  const cover = useRead(
    '/api/jobs/{job}/plan/cover',
    items.some((i) => i.kind === 'station'),
  )
  const maps = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/plan/map', items.map((i) => i.version).join(), job.version],
    enabled: (mode !== 'station' || space) && items.length > 0,
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/plan/map', { params: { path: { job: job.id } } })),
  })
  const [live, drag, dropped] = useLive(items)
  const limit = job.brief.requirement.spatial95 ?? null
  const flat = job.brief.requirement.horizontal95
  const surfaces = maps.data
  const walks = useWalks(page === 'walks')
  const layers = useLayers({
    items,
    shown,
    picked,
    cover: cover.data,
    surfaces,
    mode,
    limit,
    flat,
    here,
    ghost,
    moves,
    live,
  })
  const drawn = (kind: Tool, line: [number, number][]) => {
    if (kind === 'fit') {
      setFitLine(line)
      setTool('pick')
      return
    }
    const id = crypto.randomUUID()
    const data = drawnData(kind, line, items, storeys, level)
    void apply([{ id, kind, data }]).then((ok) => ok && setPicked([id]))
  }
  const change = (c: Change[]) => void apply(c)
  const chosen = items.filter((i) => picked.includes(i.id))
  const remove = () => void apply(chosen.map((i) => ({ id: i.id, kind: i.kind, data: null }))).then(() => setPicked([]))
  usePlanKeys({ plan, edit, chosen, items: shown, setTool, setPicked, remove, onEscape: () => setGhost(null) })
  const item = chosen.length === 1 ? chosen[0] : undefined
  const surface = mode !== 'station' ? surfaces?.find((s) => s.item === item?.id) : undefined
  const hint = live
    ? words.hereItCoversMeasures(
        u.area(live.look.area),
        live.look.once == null ? '' : words.allTogetherOfWhat(num(100 * live.look.once, 1)),
        live.look.targets.join(' ') || words.noTarget,
      )
    : `${edit ? HINTS[tool] : words.clickToPick} · ${plan.saving ? words.storing : words.stored}${legend(mode, maps.isFetching, layers)}`
  return (
    <div className="split">
      <div className="canvas with-elevation">
        <div className="canvas-top">
          {space && surfaces ? (
            <Suspense fallback={<p className="empty">{words.drawingIt}</p>}>
              <Cover3d
                key={theme}
                items={items}
                surfaces={surfaces}
                mode={mode}
                limit={limit}
                selected={picked}
                onSelect={(id) => setPicked([id])}
              />
            </Suspense>
          ) : (
            <PlanCanvas
              key={theme}
              job={job.id}
              items={shown}
              ready={!plan.pending}
              tool={tool}
              editable={edit}
              selected={picked}
              onSelect={setPicked}
              onDrawn={drawn}
              onMoved={(m) => {
                dropped()
                change(movedItems(items, m))
              }}
              onNudge={(dx, dy) => edit && chosen.length > 0 && change(nudged(chosen, dx, dy))}
              onDrag={drag}
              {...layers}
              {...walks.layers}
              ghosts={page === 'propose' ? layers.ghosts : NONE}
              links={page === 'cover' ? layers.links : NONE}
              carried={page === 'leapfrog' ? layers.carried : NONE}
              marks={page === 'findings' ? layers.marks : NONE}
            />
          )}
          <PlanTools {...{ plan, edit, chosen, tool, setTool, space, setSpace, mode, setMode }} />
          {storeys.length > 0 && !space && (
            <Segmented<number | 'all'>
              className="storeys"
              aria-label={words.storey}
              vertical
              value={storey ?? 'all'}
              onChange={setStorey}
              options={[
                { value: 'all', label: words.all },
                ...storeys.map((z, k) => ({ value: k, label: `${u.len(z, 2)} ${u.code}` })).reverse(),
              ]}
            />
          )}
          {!(space && surfaces) && <div className="hint">{hint}</div>}
        </div>
        {surface && <Planned surface={surface} mode={mode} limit={limit} />}
      </div>
      <aside className="side" aria-label={words.whatThePlanSays}>
        <div className="bar views">{rooms}</div>
        <States of={plan.read} what={words.thePlan}>
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
                change([{ id: item.id, kind: item.kind, data }])
              }}
            />
          )}
          <Picked chosen={chosen} items={items} edit={edit} onApply={change} onRemove={remove} />
          <PlanPages
            {...{ items, picked, setPicked, cover, walks, page, setPage, ghost, setGhost, setMoves }}
            at={layers.at}
            onApply={change}
          />
        </States>
      </aside>
    </div>
  )
}

function legend(mode: MapMode, busy: boolean, layers: { ellipses: unknown[]; enlarge: number }): string {
  if (mode !== 'station') return ` · ${busy ? words.workingItOut : MAPS.find((m) => m.value === mode)?.says}`
  return layers.ellipses.length > 0 ? ` · ellipses 95 %, enlarged ${layers.enlarge}×` : ''
}

/** What is picked, from the address and to it: items by kind and name. */
function usePickedItems(items: Item[]) {
  const [picks, setPicks] = usePicks()
  const picked = useMemo(() => {
    const by = new Map(items.map((i) => [`${i.kind}:${i.data.name}`, i.id]))
    return picks.flatMap((p) => by.get(`${p.kind}:${p.name}`) ?? [])
  }, [items, picks])
  // just made, the item may not be read yet
  const known = useRef(items)
  useEffect(() => {
    known.current = items
  })
  const set = useCallback(
    (ids: string[]) => {
      const put = () =>
        setPicks(
          ids.flatMap((id) => {
            const i = known.current.find((x) => x.id === id)
            return i ? [{ kind: i.kind, name: i.data.name }] : []
          }),
        )
      if (ids.every((id) => known.current.some((i) => i.id === id))) put()
      else setTimeout(put, 50)
    },
    [setPicks],
  )
  return [picked, set] as const
}

/** One storey is drawn at a time, or all. */
function useStorey(items: Item[], picked: string[]) {
  const storeys = useMemo(() => storeysOf(items), [items])
  const [wanted, setStorey] = useState<number | 'all'>(0)
  const storey = storeys.length > 0 && wanted !== 'all' ? Math.min(wanted, storeys.length - 1) : null
  const shown = useMemo(
    () => (storey === null ? items : items.filter((i) => onStorey(i, storeys, storey))),
    [items, storeys, storey],
  )
  const here = useCallback((z: number) => storey === null || storeyAt(storeys, z) === storey, [storeys, storey])
  // what is picked in the ledger is drawn, on whatever storey it stands
  useEffect(() => {
    const hidden = picked.length === 1 && items.find((i) => i.id === picked[0] && !shown.includes(i))
    if (hidden) setStorey(storeyAt(storeys, footOf(hidden)))
    // only when the choice changes: whoever then looks at another storey may
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [picked])
  return { storeys, storey, setStorey, shown, here, level: storey === null ? null : storeys[storey]! }
}

/** What a station would cover follows it while it is dragged: one question at a time. */
function useLive(items: Item[]) {
  const job = useJob()
  const [live, setLive] = useState<Live>(null)
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
      // a look that does not come is followed by the next
      .catch(() => undefined)
      .finally(() => {
        const next = asking.current
        asking.current = 'idle'
        if (Array.isArray(next)) drag(id, next)
      })
  }
  return [live, drag, () => setLive(null)] as const
}

/** What is picked, by number. */
function Picked(p: {
  chosen: Item[]
  items: Item[]
  edit: boolean
  onApply: (c: Change[]) => void
  onRemove: () => void
}) {
  const job = useJob()
  const [item] = p.chosen
  if (!item) return <p className="empty">{p.items.length === 0 ? words.anEmptyPlanDraw : words.pickSomethingOnThe}</p>
  if (p.chosen.length > 1)
    return (
      <p>
        {words.picked2(
          p.chosen.length,
          p.chosen
            .slice(0, 8)
            .map((i) => i.data.name)
            .join(', '),
          p.chosen.length > 8,
        )}
      </p>
    )
  return (
    <ItemForm
      key={item.id}
      item={item}
      items={p.items}
      edit={p.edit}
      step={job.brief.instrument.step}
      onChange={(data) => p.onApply([{ id: item.id, kind: item.kind, data }])}
      onRemove={p.onRemove}
    />
  )
}
