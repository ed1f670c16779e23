import { Button } from 'antd'
import { useCallback } from 'react'
import { api, unwrap } from '../../api/client'
import { num, span } from '../../lib/format'
import { canEdit, useAsk, useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Head, Ledger, States } from '../../parts'
import { Chart, type Colours, Plot } from '../../parts/Chart'
import { walks as words } from '../../words'
import { freeName, walksOf } from '../drawing'
import { Traps } from '../findings/Traps'
import type { Change, Item } from '../usePlan'
import { ProposeWalks } from './ProposeWalks'
import type { useWalks, Walk, Walks as All } from './useWalks'
import { Ways } from './Ways'

interface Props {
  of: ReturnType<typeof useWalks>
  items: Item[]
  picked: string[]
  setPicked: (ids: string[]) => void
  onApply: (c: Change[]) => void
  onSelect: (name: string) => void
}

const worst = (w: Walk, of: 'error95' | 'rigid95') => Math.max(0, ...w.places.map((p) => p[of]))

/** Walks with a mobile unit: what they take, how far they will be off, what would hold them, and others that would do. */
export function Walks(p: Props) {
  const job = useJob()
  const { read } = p.of
  const all = read.data
  const picked = all?.walks.find((w) => p.picked.includes(w.item)) ?? all?.walks[0]
  return (
    <States of={read} what={words.room}>
      {all && (
        <>
          <Told all={all} />
          {all.walks.length > 0 && <Table {...p} all={all} />}
          {all.walks.length > 0 && (
            <Traps
              traps={all.findings}
              items={p.items}
              onSelect={p.onSelect}
              onApply={p.onApply}
              none={words.nothingFound}
            />
          )}
          {picked && picked.places.length > 1 && <Along walk={picked} />}
          {all.helps.length > 0 && <Helps all={all} items={p.items} edit={canEdit(job)} onApply={p.onApply} />}
          {all.ways.length > 1 && <Ways of={all.ways} />}
          {canEdit(job) && <ProposeWalks of={p.of} items={p.items} onApply={p.onApply} />}
          <Apart all={all} />
        </>
      )}
    </States>
  )
}

/** What all walks show, or that there are none. */
function Told({ all }: { all: All }) {
  if (all.walks.length === 0) return <p className="empty">{words.noneYet}</p>
  if (all.refused) return <p className="warn">{all.refused}</p>
  if (all.once == null) return null
  const percent = (v: number | null | undefined) => `${num(100 * (v ?? 0), 1)} %`
  return <p>{words.twice(percent(all.once), percent(all.twice))}</p>
}

/** Each walk with what it takes and how far it will be off. */
function Table(p: Props & { all: All }) {
  const job = useJob()
  const u = useUnits()
  const item = (id: string) => p.items.find((i) => i.id === id)
  const split = useAsk(
    async (walk: Walk) =>
      unwrap(
        await api.POST('/api/jobs/{job}/plan/walks/{item}/split', {
          params: { path: { job: job.id, item: walk.item } },
        }),
      ),
    (found, walk) => {
      const first = item(walk.item)
      if (first && found.lines.length > 1) p.onApply(walksOf(p.items, found.lines, first.data, first))
    },
  )
  const beyond = (w: Walk) => w.places.some((x) => x.limit != null && x.error95 > x.limit)
  return (
    <Ledger
      label={words.room}
      rows={p.all.walks}
      id={(w) => w.item}
      picked={p.picked}
      onPick={p.setPicked}
      empty={words.noneYet}
      columns={[
        { head: words.name, cell: (w) => w.name },
        { head: words.unit, cell: (w) => w.unit },
        { head: words.minutes, num: true, cell: (w) => num(w.seconds / 60, 1) },
        { head: words.metres(u.code), num: true, cell: (w) => u.len(w.metres, 0) },
        {
          head: words.worst(u.small),
          num: true,
          cell: (w) => (
            <b className={beyond(w) ? 'failed' : undefined}>{w.places.length ? u.about(worst(w, 'error95')) : '–'}</b>
          ),
        },
        { head: words.whole(u.small), num: true, cell: (w) => (w.places.length ? u.about(worst(w, 'rigid95')) : '–') },
        {
          head: '',
          cell: (w) =>
            w.passes > 1 && canEdit(job) ? (
              <Button size="small" loading={split.isPending} onClick={() => split.mutate(w)}>
                {words.cutIt(w.passes)}
              </Button>
            ) : null,
        },
      ]}
    />
  )
}

/** How far off a point is along a walk, against what is allowed. */
function Along({ walk }: { walk: Walk }) {
  const u = useUnits()
  const long = (m: number) => `${u.about(m)} ${u.small}`
  const limit = walk.places.find((p) => p.limit != null)?.limit
  const says = words.worstSays(
    walk.name,
    long(worst(walk, 'error95')),
    long(worst(walk, 'rigid95')),
    limit == null ? '' : words.allowedIs(long(limit)),
  )
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const of = (y: (p: Walk['places'][number]) => number | null | undefined) =>
        walk.places.flatMap((p) => {
          const v = y(p)
          return v == null ? [] : [{ x: p.metres / u.metres, y: v / u.smallMetres }]
        })
      // what is laid down whole may be off by so much that the rest is a line on the floor
      const most = Math.max(1.3 * worst(walk, 'error95'), ...walk.places.map((p) => 1.3 * (p.limit ?? 0)))
      return {
        x: { label: words.walkedMetres(u.code) },
        y: { label: words.worst(u.small), grid: true, domain: [0, most / u.smallMetres] },
        marks: [
          Plot.areaY(
            of((p) => p.error95),
            { x: 'x', y: 'y', fill: c.accent, fillOpacity: 0.18, clip: true },
          ),
          Plot.line(
            of((p) => p.rigid95),
            { x: 'x', y: 'y', stroke: c.faint, strokeDasharray: '3 3', clip: true },
          ),
          Plot.line(
            of((p) => p.error95),
            { x: 'x', y: 'y', stroke: c.accent, strokeWidth: 2, clip: true },
          ),
          Plot.line(
            of((p) => p.limit),
            { x: 'x', y: 'y', stroke: c.red, strokeWidth: 1.3, strokeDasharray: '7 4' },
          ),
          Plot.dot(
            walk.places
              .filter((p) => p.held === 'mark' || p.held === 'scan')
              .map((p) => ({ x: p.metres / u.metres, y: 0 })),
            { x: 'x', y: 'y', fill: c.ink, r: 2.2 },
          ),
        ],
      }
    },
    [walk, u],
  )
  return (
    <>
      <Chart caption={`${words.alongIt}: ${walk.name}`} says={says} options={options} />
      <p className="faint">{words.chartMeans}</p>
    </>
  )
}

/** Where known points would help; they can be put on the plan. */
function Helps({
  all,
  items,
  edit,
  onApply,
}: {
  all: All
  items: Item[]
  edit: boolean
  onApply: (c: Change[]) => void
}) {
  const u = useUnits()
  const put = () => {
    const taken = new Set<string>()
    const marks = all.helps.map((h): Change => {
      const name = freeName(items, 'target', taken)
      taken.add(`target ${name.toLowerCase()}`)
      const position = h.at.map((v) => Number(v.toFixed(3)))
      return {
        id: crypto.randomUUID(),
        kind: 'target',
        data: { name, base: 0, top: 0, position, target: 'mark', control_sigma: [0.005, 0.005] },
      }
    })
    // the line gets a corner on each of them, so that it stands there
    const walks = items.flatMap((i): Change[] => {
      const own = all.helps.filter((h) => h.walk === i.data.name).map((h) => [h.at[0] ?? 0, h.at[1] ?? 0])
      if (i.kind !== 'walk' || own.length === 0) return []
      return [{ id: i.id, kind: 'walk', data: { ...i.data, line: own.reduce(withCorner, i.data.line ?? []) } }]
    })
    onApply([...marks, ...walks])
  }
  return (
    <>
      <Head
        aside={
          edit && (
            <Button size="small" onClick={put}>
              {words.putMarks(all.helps.length)}
            </Button>
          )
        }
      >
        {words.helps}
      </Head>
      <p className="faint">{words.eachOfWhat}</p>
      <ol className="helps">
        {all.helps.map((h, k) => (
          <li key={k}>
            {h.walk}, {u.len(h.at[0], 1)} / {u.len(h.at[1], 1)} {u.code} – {words.then(`${u.about(h.then)} ${u.small}`)}
          </li>
        ))}
      </ol>
    </>
  )
}

/** A line with one more corner where it passes a place nearest. */
export function withCorner(line: number[][], at: number[]): number[][] {
  const off = (k: number) => {
    const [a, b] = [line[k]!, line[k + 1]!]
    const [dx, dy] = [b[0]! - a[0]!, b[1]! - a[1]!]
    const t = Math.min(1, Math.max(0, ((at[0]! - a[0]!) * dx + (at[1]! - a[1]!) * dy) / (dx * dx + dy * dy || 1)))
    return Math.hypot(at[0]! - a[0]! - t * dx, at[1]! - a[1]! - t * dy)
  }
  const legs = Array.from({ length: Math.max(0, line.length - 1) }, (_, k) => k)
  const near = legs.reduce((best, k) => (off(k) < off(best) ? k : best), 0)
  return [...line.slice(0, near + 1), at, ...line.slice(near + 1)]
}

/** How far apart known points may be, unit by unit. */
function Apart({ all }: { all: All }) {
  const u = useUnits()
  const first = all.units.find((x) => x.name === all.walks[0]?.unit) ?? all.units[0]
  const never = all.units.filter((x) => x.apart == null).map((x) => x.name)
  return (
    <>
      {all.limit != null && (
        <>
          <Head aside={`${words.isAllowed} ${u.about(all.limit)} ${u.small}`}>{words.knownPoints}</Head>
          <ul className="helps">
            {all.units.map(
              (x) =>
                x.apart != null && <li key={x.name}>{words.knownEvery(x.name, `${u.len(x.apart, 0)} ${u.code}`)}</li>,
            )}
            {never.length > 0 && <li>{words.knownPointsNever(never.join(', '))}</li>}
          </ul>
        </>
      )}
      {first && <p className="faint">{words.lastsMinutes(first.name, span(first.longest), span(first.battery))}</p>}
    </>
  )
}
