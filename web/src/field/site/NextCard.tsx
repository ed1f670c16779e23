import { Button } from 'antd'
import type { Schema } from '../../api/client'
import { num } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { field as words } from '../../words'
import { type Entry, heads } from './journal'

type Now = Schema['FieldNowDto']
const POINTS = ['N', 'NE', 'E', 'SE', 'S', 'SW', 'W', 'NW']

/** As people count: T2 before T10. */
export const byName = (names: string[]) => [...names].sort((a, b) => a.localeCompare(b, undefined, { numeric: true }))

/** A bearing as one would say it. */
const compass = (bearing: number) => POINTS[Math.round((bearing / (2 * Math.PI)) * 8) % 8] ?? ''

/** The next station. What waits on this device and the server does not know yet is passed over, in the order of the plan. */
export function nextOf(now: Now, entries: Entry[]) {
  const unknown = (id: string) => heads(entries, `station ${id}`).some((e) => e.unsent)
  if (!now.next || !unknown(now.next.station)) return now.next ?? null
  const from = now.stations.findIndex((s) => s.id === now.next?.station)
  const free = (s: Now['stations'][number]) => s.state === 'planned' && !unknown(s.id)
  const to = now.stations.slice(from + 1).find(free) ?? now.stations.find(free)
  const at = now.stations[from]
  if (!to || !at) return null
  const [x, y] = at.position as [number, number]
  const [toX, toY] = to.position as [number, number]
  const [dx, dy] = [toX - x, toY - y]
  return {
    station: to.id,
    name: to.name,
    because: words.byTheOrder,
    planned: null,
    distance: Math.hypot(dx, dy),
    bearing: (Math.atan2(dx, dy) + 2 * Math.PI) % (2 * Math.PI),
    set_up: [],
    keep: [],
    free: [],
  }
}

/** A moment on the clock of this device. */
const local = (at: string) => {
  const d = new Date(at)
  const two = (v: number) => String(v).padStart(2, '0')
  const time = `${two(d.getHours())}:${two(d.getMinutes())}`
  return d.toDateString() === new Date().toDateString() ? time : `${two(d.getMonth() + 1)}-${two(d.getDate())} ${time}`
}

/** The one thing to do: where to, why, what to carry. */
export function NextCard({ now, entries, onOpen }: { now: Now; entries: Entry[]; onOpen?: (id: string) => void }) {
  const u = useUnits()
  const next = nextOf(now, entries)
  if (!next)
    return (
      <section className="site-next" aria-label={words.nextStep}>
        <div>
          <h2>{now.stations.length ? words.allTaken : words.noStationsOnThePlan}</h2>
          <p>{now.stations.length ? words.lookAtWhatIsMissing : words.planFirst}</p>
        </div>
      </section>
    )
  const carry = [
    [words.setUp, next.set_up],
    [words.leaveStanding, next.keep],
    [words.takeAlong, next.free],
  ] as const
  return (
    <section className="site-next" aria-label={words.nextStep}>
      {next.bearing != null && (
        <svg viewBox="-50 -50 100 100" role="img" aria-label={words.towards(compass(next.bearing))}>
          <circle r="46" />
          <text y="-31">{words.north}</text>
          <g transform={`rotate(${(next.bearing * 180) / Math.PI})`}>
            <path d="M0-42 14 24 0 14-14 24Z" />
          </g>
        </svg>
      )}
      <div>
        <h2>{words.goTo(next.name)}</h2>
        <p className="way">
          {next.distance != null && next.bearing != null
            ? words.wayThere(
                u.len(next.distance, 1),
                u.code,
                num((next.bearing * 180) / Math.PI, 0),
                compass(next.bearing),
              )
            : words.beginHere}
        </p>
        {next.planned && <p>{words.plannedFor(local(next.planned))}</p>}
        <p>{next.because}</p>
        <dl>
          {carry.map(
            ([head, names]) =>
              names.length > 0 && (
                <div key={head}>
                  <dt>{head}</dt>
                  <dd>{byName(names).join(', ')}</dd>
                </div>
              ),
          )}
        </dl>
        {onOpen && (
          <Button type="primary" size="large" onClick={() => onOpen(next.station)}>
            {words.iAmAt(next.name)}
          </Button>
        )}
      </div>
    </section>
  )
}
