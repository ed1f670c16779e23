import { Checkbox, Select } from 'antd'
import { type KeyboardEvent, type PointerEvent, useRef, useState } from 'react'
import { num, span } from '../lib/format'
import { useUnits } from '../lib/units'
import { days as words } from '../words'
import { given, moved } from './arrange'
import { clock, dateOf } from './time'
import type { Days, UseDays } from './useDays'

type Station = Days['stations'][number]

/** Stations in the order in which they are taken: dragged by the handle, moved by keys, locked, given to a scanner. */
export function OrderTable({
  of,
  days,
  picked,
  onPick,
}: {
  of: UseDays
  days: Days
  picked: string | null
  onPick: (name: string) => void
}) {
  const edit = of.job.role === 'owner' || of.job.role === 'surveyor'
  const drag = useDrag((station, scanner, before) => of.arrange(moved(given(days), station, scanner, before)))
  const several = days.settings.scanners.length > 1
  const put = (s: Station, change: { scanner?: number; locked?: boolean }) => {
    const order = given(days)
    if (change.scanner != null) return of.arrange(moved(order, s.id, change.scanner, null))
    of.arrange(order.map((a) => (a.station === s.id ? { ...a, ...change } : a)))
  }
  const step = (s: Station, by: -1 | 1) => {
    const route = days.stations.filter((o) => o.scanner === s.scanner)
    const to = route.findIndex((o) => o.id === s.id) + by
    if (to < 0 || to >= route.length) return
    const before = by < 0 ? route[to]!.id : (route[to + 1]?.id ?? null)
    of.arrange(moved(given(days), s.id, s.scanner, before))
  }
  const keys = (s: Station) => (e: KeyboardEvent) => {
    if (!e.altKey || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown')) return
    e.preventDefault()
    step(s, e.key === 'ArrowUp' ? -1 : 1)
  }
  return (
    <table className="ledger day-order" aria-label={words.order}>
      <OrderHead several={several} />
      <tbody>
        {days.settings.scanners.flatMap((unit, u) => [
          ...(several
            ? [
                <tr key={unit.name} className="group" data-scanner={u}>
                  <th scope="rowgroup" colSpan={11}>
                    {words.carriedBy(unit.name, days.settings.people[unit.person] ?? '')}
                  </th>
                </tr>,
              ]
            : []),
          ...days.stations
            .filter((s) => s.scanner === u)
            .map((s, k) => (
              <Row
                key={s.id}
                {...{ s, k, days, edit, several, drag }}
                on={s.name === picked}
                onPick={() => onPick(s.name)}
                onKeys={keys(s)}
                onPut={(c) => put(s, c)}
              />
            )),
        ])}
      </tbody>
    </table>
  )
}

function OrderHead({ several }: { several: boolean }) {
  const u = useUnits()
  const of = [
    '',
    words.nr,
    words.station,
    words.begins,
    words.took,
    words.walkIn(u.code),
    words.tiedTo,
    words.targetsUp,
    words.workedAt,
  ]
  return (
    <thead>
      <tr>
        {of.map((h, i) => (
          <th key={h} scope="col" className={i > 2 && i < 6 ? 'num' : ''}>
            {h}
          </th>
        ))}
        <th scope="col">{several ? words.scanner : ''}</th>
        <th scope="col" title={words.lockedStays}>
          {words.lockHead}
        </th>
      </tr>
    </thead>
  )
}

const takes = (s: Station) => {
  if (s.took != null) return words.tookOf(span(s.took), span(s.scan))
  return s.begins == null || s.ends == null ? '–' : span(s.ends - s.begins)
}

interface RowProps {
  s: Station
  k: number
  days: Days
  edit: boolean
  several: boolean
  on: boolean
  drag: ReturnType<typeof useDrag>
  onPick: () => void
  onKeys: (e: KeyboardEvent) => void
  onPut: (change: { scanner?: number; locked?: boolean }) => void
}

function Row({ s, k, days, edit, several, on, drag, onPick, onKeys, onPut }: RowProps) {
  const u = useUnits()
  const over = drag.over?.before === s.id
  const tone = `${on ? 'on' : ''}${s.why ? ' bad' : ''}${s.done ? ' off' : ''}${over ? ' over' : ''}${drag.held === s.id ? ' held' : ''}`
  const fixed = !edit || s.done || s.locked
  return (
    <tr className={`pick ${tone}`} data-station={s.id} data-scanner={s.scanner} onClick={onPick}>
      <td>
        {!fixed && (
          <button
            type="button"
            className="handle"
            aria-label={words.moveStation(s.name)}
            onKeyDown={onKeys}
            {...drag.handle(s.id)}
          >
            ⠿
          </button>
        )}
      </td>
      <td className="num">{k + 1}</td>
      <td>{s.name}</td>
      <td className="num">
        {s.why ? (
          <span className="wrong" title={s.why}>
            {words.out}
          </span>
        ) : (
          <When days={days} at={s.begins} />
        )}
      </td>
      <td className="num">{takes(s)}</td>
      <td className="num">{s.walk > 0 ? u.len(s.walk * days.settings.walk, 0) : ''}</td>
      <td>
        {s.untied ? <span className="wrong">{words.nothing}</span> : s.ties.slice(0, 3).join(' ')}
        {s.ties.length > 3 && ` +${num(s.ties.length - 3, 0)}`}
      </td>
      <td>{s.up.length > 4 ? `${s.up.slice(0, 3).join(' ')} +${num(s.up.length - 3, 0)}` : s.up.join(' ')}</td>
      <td className="num">{s.worked == null ? '' : <When days={days} at={s.worked} beside={s.begins} />}</td>
      <td>
        {several && edit && !s.done && (
          <Select
            size="small"
            aria-label={words.scannerOf(s.name)}
            value={s.scanner}
            onChange={(scanner) => onPut({ scanner })}
            options={days.settings.scanners.map((x, value) => ({ value, label: x.name }))}
          />
        )}
        {s.done && words.done}
      </td>
      <td>
        {edit && !s.done && (
          <Checkbox
            checked={s.locked}
            aria-label={words.lockStation(s.name)}
            title={words.lockedStays}
            onClick={(e) => e.stopPropagation()}
            onChange={(e) => onPut({ locked: e.target.checked })}
          />
        )}
      </td>
    </tr>
  )
}

/** A time, with its date where there are several, or where it is another than that of what it stands beside. */
export function When({ days, at, beside }: { days: Days; at: number | null | undefined; beside?: number | null }) {
  if (at == null) return <>–</>
  const first = days.settings.dates[0]?.date ?? ''
  const day = (t: number) => Math.floor(t / 86_400)
  const several = beside == null ? days.settings.dates.length > 1 || at > 86_400 : day(at) !== day(beside)
  return (
    <>
      {several && <span className="faint">{dateOf(first, at).slice(5)} </span>}
      {clock(at)}
    </>
  )
}

interface Over {
  before: string | null
  scanner: number
}

/** A row is held by its handle, with mouse, pen or finger, and let go over another: it comes before that. */
function useDrag(drop: (station: string, scanner: number, before: string | null) => void) {
  const [held, setHeld] = useState<string | null>(null)
  const [over, setOver] = useState<Over | null>(null)
  const at = useRef<Over | null>(null)
  const under = (e: PointerEvent): Over | null => {
    const row = document.elementFromPoint(e.clientX, e.clientY)?.closest('tr')
    const scanner = row?.dataset.scanner
    if (!row || scanner === undefined) return at.current
    const station = row.dataset.station
    const box = row.getBoundingClientRect()
    const lower = e.clientY > box.top + box.height / 2
    const next = row.nextElementSibling instanceof HTMLElement ? row.nextElementSibling.dataset : undefined
    if (station && !lower) return { before: station, scanner: Number(scanner) }
    return { before: next?.scanner === scanner ? (next.station ?? null) : null, scanner: Number(scanner) }
  }
  const handle = (station: string) => ({
    onPointerDown: (e: PointerEvent) => {
      e.preventDefault()
      e.currentTarget.setPointerCapture(e.pointerId)
      at.current = null
      setHeld(station)
    },
    onPointerMove: (e: PointerEvent) => {
      if (held !== station) return
      at.current = under(e)
      setOver(at.current)
    },
    onPointerUp: () => {
      if (held === station && at.current && at.current.before !== station)
        drop(station, at.current.scanner, at.current.before)
      setHeld(null)
      setOver(null)
    },
    onPointerCancel: () => {
      setHeld(null)
      setOver(null)
    },
  })
  return { held, over, handle }
}
