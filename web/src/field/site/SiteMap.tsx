import { Button } from 'antd'
import type { Schema } from '../../api/client'
import { type Item, useRead } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { field as words } from '../../words'
import { type Entry, heads } from './journal'
import { nextOf } from './NextCard'

type Now = Schema['FieldNowDto']
type XY = [number, number]
const LINES = new Set(['wall', 'obstacle', 'edge', 'walk'])
const AREAS = new Set(['area', 'floor'])
const xy = (p: readonly number[] | undefined): XY => [p?.[0] ?? 0, p?.[1] ?? 0]

const at = ([x, y]: XY) => `translate(${x} ${-y})`
const path = (line: readonly number[][]) => line.map((q, k) => `${k ? 'L' : 'M'}${q[0]} ${-(q[1] ?? 0)}`).join('')

/** Bounds of everything drawn, with room round it. */
function frame(items: Item[]): [number, number, number, number] {
  const all = items.flatMap((i) => [...(i.data.line ?? []).map(xy), ...(i.data.position ? [xy(i.data.position)] : [])])
  const used = all.filter((p, k) => p[0] !== 0 || p[1] !== 0 || k === 0)
  const [xs, ys] = [used.map((p) => p[0]), used.map((p) => p[1])]
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  const room = Math.max(2, 0.07 * Math.max(right - left, high - low))
  return [left - room, low - room, right - left + 2 * room, high - low + 2 * room]
}

/** A length that is round in the unit of the job, about a fifth of the sheet. */
export function round(width: number, metres: number): number {
  const most = width / 5 / metres
  const power = 10 ** Math.floor(Math.log10(most))
  return ([5, 2, 1].find((f) => f * power <= most) ?? 1) * power
}

/** The site from above: what was taken, what is next, targets, notes. North is up. A tap puts a pin where a note belongs. */
export function SiteMap(p: {
  now: Now
  entries: Entry[]
  pin: XY | null
  onPin?: (at: XY | null) => void
  onOpen?: (station: string) => void
}) {
  const plan = useRead('/api/jobs/{job}/plan')
  const u = useUnits()
  const items = (plan.data ?? []).filter((i) => i.kind !== 'underlay')
  if (items.length === 0) return null
  const [x0, y0, w, h] = frame(items)
  // signs and letters of one size on the page, whatever the site measures
  const s = Math.max(w, h * 1.2) / 100
  const next = nextOf(p.now, p.entries)
  const to = p.now.stations.find((x) => x.id === next?.station)
  const last = lastTaken(p.now, p.entries)
  const bar = round(w, u.metres)
  const put = (e: React.MouseEvent<SVGSVGElement>) => {
    const box = e.currentTarget
    const q = new DOMPoint(e.clientX, e.clientY).matrixTransform(box.getScreenCTM()?.inverse())
    p.onPin?.([q.x, -q.y])
  }
  return (
    <details className="site-part" open>
      <summary>
        <Head aside={p.onPin ? words.tapToPin : ''}>{words.siteFromAbove}</Head>
      </summary>
      {/* the stations are in the list below, and a note can name one: nothing is only here */}
      <svg
        className="site-map"
        viewBox={`${x0} ${-(y0 + h)} ${w} ${h}`}
        role="img"
        aria-label={words.mapSays(p.now.pace.taken, p.now.pace.of, next?.name ?? '')}
        onClick={p.onPin && put}
      >
        <Base items={items} size={s} way={last && to ? [last.position, to.position] : null} />
        {p.now.stations.map((x) => (
          <g
            key={x.id}
            className={`station ${x.id === to?.id ? 'next' : ''} ${taken(x, p.entries) ? 'taken' : ''}`}
            transform={`${at(xy(x.position))} scale(${s})`}
          >
            <path d="M0-2.4 2.1 1.4H-2.1Z" />
            <text x={x.id === to?.id ? 3.8 : 2.8} y={1.2}>
              {x.name}
            </text>
          </g>
        ))}
        <Noted entries={p.entries} stations={p.now.stations} size={s} />
        {p.pin && (
          <g className="note pin" transform={`${at(p.pin)} scale(${s})`}>
            <path d="M0 0-2-3.4V-6.4H2V-3.4Z" />
          </g>
        )}
        <g className="scale" transform={`translate(${x0 + 2 * s} ${-y0 - 2 * s})`}>
          <path d={`M0 0V${-s}M0 0H${bar * u.metres}V${-s}`} strokeWidth={0.3 * s} />
          <g transform={`scale(${s})`}>
            <text x={0.4} y={-1.6}>
              {bar} {u.code}
            </text>
          </g>
        </g>
        <g className="scale" transform={`translate(${x0 + w - 4 * s} ${-(y0 + h) + 6 * s}) scale(${s})`}>
          <path d="M0 0V-4M-1.2-2.4 0-4.4 1.2-2.4" strokeWidth={0.3} />
          <text y={2.6} textAnchor="middle">
            {words.north}
          </text>
        </g>
      </svg>
      {p.pin && p.onPin && (
        <div className="bar">
          <span>{words.pinIsSet}</span>
          <Button onClick={() => p.onPin?.(null)}>{words.takePinAway}</Button>
        </div>
      )}
    </details>
  )
}

const taken = (s: Now['stations'][number], entries: Entry[]) =>
  s.state !== 'planned' || heads(entries, `station ${s.id}`).length > 0

/** Where one stands: the station noted last. */
function lastTaken(now: Now, entries: Entry[]) {
  const visits = entries.filter((e) => e.stands && e.fact.kind === 'visit').sort((a, b) => a.at.localeCompare(b.at))
  const last = visits.at(-1)
  const id = last?.fact.kind === 'visit' ? last.fact.data.station : undefined
  return now.stations.find((s) => s.id === id)
}

/** What stands there, and the way to go. */
function Base({ items, size: s, way }: { items: Item[]; size: number; way: number[][] | null }) {
  return (
    <>
      <g strokeWidth={0.35 * s}>
        {items
          .filter((i) => AREAS.has(i.kind) && (i.data.line?.length ?? 0) > 2)
          .map((i) => (
            <path key={i.id} className={`area ${i.data.area ?? ''}`} d={`${path(i.data.line!)}Z`} />
          ))}
        {items
          .filter((i) => LINES.has(i.kind))
          .map((i) => (
            <path key={i.id} className={i.kind === 'walk' ? 'walked' : 'line'} d={path(i.data.line ?? [])} />
          ))}
        {items
          .filter((i) => i.kind === 'column')
          .map((i) => (
            <circle key={i.id} className="line" r={i.data.radius ?? 0.2} transform={at(xy(i.data.position))} />
          ))}
        {way && <path className="way" d={path(way)} strokeWidth={0.7 * s} />}
      </g>
      {items
        .filter((i) => i.kind === 'target')
        .map((i) => (
          <g key={i.id} className="target" transform={`${at(xy(i.data.position))} scale(${s})`}>
            <circle r={0.9} />
          </g>
        ))}
    </>
  )
}

/** Notes where they belong: where they were pinned, or at their station. */
function Noted({ entries, stations, size: s }: { entries: Entry[]; stations: Now['stations']; size: number }) {
  const notes = entries.filter((e) => e.stands && e.fact.kind === 'note')
  return (
    <>
      {notes.map((e) => {
        const n = e.fact.kind === 'note' ? e.fact.data : null
        const station = stations.find((x) => x.id === n?.station)
        const place = n?.place ?? station?.position
        if (!n || !place) return null
        return (
          <g
            key={e.id}
            className={n.hazard ? 'note hazard' : 'note'}
            transform={`${at(xy(place))} translate(0 ${n.place ? 0 : -2.4 * s}) scale(${s})`}
          >
            <title>{n.text}</title>
            <path d="M0 0-2-3.4V-6.4H2V-3.4Z" />
            <text y={-3.9} textAnchor="middle">
              {n.hazard ? '!' : '✎'}
            </text>
          </g>
        )
      })}
    </>
  )
}
