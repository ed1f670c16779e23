import type { KeyboardEvent } from 'react'
import { plural } from '../lib/count'
import { num, size } from '../lib/format'
import { days as words } from '../words'
import { namesWithRoom } from './names'
import { clock } from './time'
import type { Days } from './useDays'

type Step = Days['steps'][number]
interface Props {
  days: Days
  /** Which of the days. */
  day: number
  picked: string | null
  onPick: (station: string) => void
}

/** A day as it goes: a line for each person, under each scanner's own its battery and its card, and what is worked through
 * when. */
export function DayChart({ days, day, picked, onPick }: Props) {
  const end = days.ends[day]
  if (!end) return null
  const from = Math.floor(end.from / 1800) * 1800
  const to = Math.ceil(Math.max(end.to, end.ends ?? 0) / 1800) * 1800
  const x = (t: number) => (100 * (t - from)) / (to - from)
  const hours = Array.from(
    { length: Math.floor((to - from) / 3600) + 1 },
    (_, k) => Math.ceil(from / 3600) * 3600 + k * 3600,
  )
  const within = days.steps.filter((s) => s.to > from && s.from < to)
  const rest = { x, from, to, picked, onPick }
  return (
    <div className="day-chart" role="group" aria-label={words.chartOf(clock(end.from), clock(end.ends))}>
      <div className="day-hours" aria-hidden="true">
        <span />
        <svg width="100%" height="16">
          {hours
            .filter((h) => h <= to)
            .map((h) => (
              <text key={h} x={`${x(h)}%`} y="12" textAnchor="middle">
                {clock(h)}
              </text>
            ))}
        </svg>
      </div>
      {days.settings.people.map((name, p) => (
        <Person key={name} name={name} steps={within.filter((s) => s.person === p)} {...rest} hours={hours} />
      ))}
      {days.settings.scanners.map((s, u) => (
        <Supply key={s.name} name={s.name} unit={days.units[u]!} card={s.card} {...rest} />
      ))}
      <Worked days={days} {...rest} />
      <Marks days={days} day={day} x={x} to={to} />
      <Legend steps={within} />
    </div>
  )
}

interface Scale {
  x: (t: number) => number
  from: number
  to: number
  picked: string | null
  onPick: (station: string) => void
}

/** Said in words on the line. */
const QUIET = new Set<Step['work']>(['arrive', 'induction', 'check', 'break', 'pack', 'targets', 'wait'])

function Person({ name, steps, hours, x, picked, onPick }: Scale & { name: string; steps: Step[]; hours: number[] }) {
  const names = namesWithRoom(steps, x)
  return (
    <div className="day-row">
      <span className="day-name">{name}</span>
      <svg width="100%" height="44" role="list" aria-label={words.whatDoes(name)}>
        {hours.map((h) => (
          <line key={h} className="hour" x1={`${x(h)}%`} x2={`${x(h)}%`} y1="0" y2="44" />
        ))}
        {steps.map((s, k) => (
          <Block
            key={`${s.work} ${s.from}`}
            step={s}
            x={x}
            name={names[k]!}
            on={picked !== null && s.at === picked}
            onPick={onPick}
          />
        ))}
      </svg>
    </div>
  )
}

function Block({
  step: s,
  x,
  name,
  on,
  onPick,
}: {
  step: Step
  x: Scale['x']
  name: string
  on: boolean
  onPick: (station: string) => void
}) {
  const [left, width] = [x(s.from), Math.max(x(s.to) - x(s.from), 0.12)]
  const label = words.stepOf(
    words.work[s.work],
    s.at ?? '',
    clock(s.from),
    clock(s.to),
    s.up.join(' '),
    s.down.join(' '),
  )
  const pick = s.at && s.unit != null ? () => onPick(s.at!) : undefined
  const keys = (e: KeyboardEvent) => (e.key === 'Enter' || e.key === ' ') && pick?.()
  const thin = s.work === 'walk' || s.work === 'wait'
  return (
    <g
      className={`step ${s.work}${on ? ' on' : ''}${s.done ? ' done' : ''}`}
      role="listitem"
      aria-label={label}
      tabIndex={pick && s.work === 'scan' ? 0 : undefined}
      onClick={pick}
      onKeyDown={keys}
    >
      <title>{label}</title>
      <rect x={`${left}%`} width={`${width}%`} y={thin ? 25 : 14} height={thin ? 4 : 26} />
      {name && (
        <text x={`${left}%`} y="11">
          {name}
        </text>
      )}
      {QUIET.has(s.work) && width > 0.8 * words.work[s.work].length && (
        <text x={`${left + width / 2}%`} y="31" textAnchor="middle">
          {words.work[s.work]}
        </text>
      )}
    </g>
  )
}

const DRAWN = 1000

/** What a scanner lives on: its battery as it runs down, its card as it fills. */
function Supply({
  name,
  unit,
  card,
  x,
  from,
  to,
}: Scale & { name: string; unit: Days['units'][number]; card: number }) {
  const at = (t: number) => (x(t) * DRAWN) / 100
  const inside = (p: number[]) => p[0]! >= from - 1 && p[0]! <= to + 1
  const line = (of: number[][], y: (v: number) => number) =>
    of
      .filter(inside)
      .map((p) => `${num2(at(p[0]!))},${num2(y(p[1]!))}`)
      .join(' ')
  const swaps = unit.battery.filter((p, i) => inside(p) && p[1] === 1 && i > 0 && unit.battery[i - 1]![0]! >= from)
  const most = card > 0 ? card : Math.max(1, ...unit.card.map((p) => p[1]!))
  return (
    <>
      {unit.battery.length > 0 && (
        <div className="day-row">
          <span className="day-name faint">
            {words.batteryOf(name, num(100 * Math.min(1, ...unit.battery.filter(inside).map((p) => p[1]!)), 0))}
          </span>
          <svg
            className="supply"
            width="100%"
            height="26"
            viewBox={`0 0 ${DRAWN} 26`}
            preserveAspectRatio="none"
            role="img"
            aria-label={words.batteryRuns(name, plural(swaps.length, words.change))}
          >
            <polyline points={line(unit.battery, (v) => 24 - 22 * v)} />
            {swaps.map((p) => (
              <line key={p[0]} className="swap" x1={at(p[0]!)} x2={at(p[0]!)} y1="0" y2="26" />
            ))}
          </svg>
        </div>
      )}
      {unit.card.filter(inside).length > 0 && (
        <div className="day-row">
          <span className="day-name faint">
            {words.cardOf(name, size(Math.max(...unit.card.filter(inside).map((p) => p[1]!))))}
          </span>
          <svg
            className="supply"
            width="100%"
            height="20"
            viewBox={`0 0 ${DRAWN} 20`}
            preserveAspectRatio="none"
            role="img"
            aria-label={words.cardFills(name, size(Math.max(...unit.card.filter(inside).map((p) => p[1]!))))}
          >
            <polyline points={line(unit.card, (v) => 18 - (16 * v) / most)} />
          </svg>
        </div>
      )}
    </>
  )
}
const num2 = (v: number) => v.toFixed(2)

/** From the scan to tied in the field; what is worked through before the day is over. */
function Worked({ days, x, from, to, picked }: Scale & { days: Days }) {
  const of = days.stations.filter((s) => s.tied != null && s.ends != null && s.ends >= from && s.ends <= to)
  if (of.length === 0) return null
  const later = of.filter((s) => (s.worked ?? 0) > to)
  return (
    <div className="day-row">
      <span className="day-name faint">{words.tiedInTheField}</span>
      <svg width="100%" height="16" role="img" aria-label={words.workedLater(of.length, later.length)}>
        {of.map((s) => (
          <rect
            key={s.id}
            className={`tied${s.name === picked ? ' on' : ''}`}
            x={`${x(s.ends!)}%`}
            width={`${Math.max(0.15, x(s.tied!) - x(s.ends!))}%`}
            y="4"
            height="8"
          />
        ))}
      </svg>
    </div>
  )
}

/** The end of the day, and now. */
function Marks({ days, day, x, to }: { days: Days; day: number; x: Scale['x']; to: number }) {
  const end = days.ends[day]!
  const now = days.now
  return (
    <div className="day-marks" aria-hidden="true">
      <span />
      <svg width="100%" height="100%">
        <line className="gate" x1={`${x(end.to)}%`} x2={`${x(end.to)}%`} y1="0" y2="100%" />
        {now != null && now >= end.from - 7200 && now <= to && (
          <line className="now" x1={`${x(now)}%`} x2={`${x(now)}%`} y1="0" y2="100%" />
        )}
      </svg>
    </div>
  )
}

const KINDS: Step['work'][] = [
  'scan',
  'photographs',
  'set_up',
  'targets',
  'occupy',
  'pass',
  'walk',
  'swap',
  'break',
  'wait',
  're_tie',
]

function Legend({ steps }: { steps: Step[] }) {
  const there = KINDS.filter((k) => steps.some((s) => s.work === k))
  return (
    <div className="day-legend" aria-hidden="true">
      {there.map((k) => (
        <span key={k}>
          <svg width="18" height="12">
            <g className={`step ${k}`}>
              <rect
                x="0"
                y={k === 'walk' || k === 'wait' ? 4 : 0}
                width="18"
                height={k === 'walk' || k === 'wait' ? 4 : 12}
              />
            </g>
          </svg>
          {words.work[k]}
        </span>
      ))}
      <span>{words.gateAndNow}</span>
    </div>
  )
}

/** How much longer something may take, as it is read. */
export const share = (v: number | null | undefined) => (v == null ? words.twiceAsLong : `${num(100 * v, 0)} %`)
