import { Button, Segmented } from 'antd'
import { useState } from 'react'
import { span } from '../lib/format'
import { canEdit, useKey } from '../lib/hooks'
import { usePicks } from '../lib/picks'
import { Head, States, VerdictCard } from '../parts'
import { days as words } from '../words'
import { BetterOrder } from './BetterOrder'
import { DayChart, share } from './DayChart'
import { DayPages } from './DayPages'
import { Day, Time } from './settings/entries'
import { OrderTable } from './OrderTable'
import { clock, clockOf, dateOf, moment } from './time'
import { type Days as Planned, useDays, type UseDays } from './useDays'

/** A day that ends closer to the gate's hour is said to be close, seconds. */
const CLOSE = 900

/** Days on site: what happens when, in which order, and what breaks first. */
export function Days({ rooms }: { rooms: React.ReactNode }) {
  const of = useDays()
  const days = of.read.data
  const [day, setDay] = useState(0)
  const [picks, setPicks] = usePicks()
  const picked = picks.at(-1)?.kind === 'station' ? picks.at(-1)!.name : null
  const pick = (name: string) => setPicks(name === picked ? [] : [{ kind: 'station', name }])
  useKey('ctrl+z', of.undo, of.canUndo)
  const shown = Math.min(day, (days?.ends.length ?? 1) - 1)
  return (
    <div className="page wide days">
      <div className="bar views">
        {rooms}
        {days && <Moment of={of} days={days} />}
        <span className="grow" />
        {days && <Files of={of} />}
      </div>
      <States of={of.read} what={words.theDays}>
        {days && days.stations.length === 0 && <p className="empty">{words.noStations}</p>}
        {days && days.stations.length > 0 && (
          <>
            <Verdict days={days} />
            {days.ends.length > 1 && (
              <Segmented
                aria-label={words.day}
                value={shown}
                onChange={setDay}
                options={days.settings.dates.map((d, value) => ({ value, label: d.date }))}
              />
            )}
            <DayChart days={days} day={shown} picked={picked} onPick={pick} />
            <div className="day-halves">
              <section aria-label={words.order}>
                <Head
                  aside={
                    canEdit(of.job) && (
                      <>
                        {of.canUndo && (
                          <Button type="text" onClick={of.undo}>
                            {words.undo}
                          </Button>
                        )}
                        <BetterOrder of={of} />
                      </>
                    )
                  }
                >
                  {words.order}
                </Head>
                <OrderTable of={of} days={days} picked={picked} onPick={pick} />
              </section>
              <DayPages of={of} days={days} onPick={pick} />
            </div>
          </>
        )}
      </States>
    </div>
  )
}

/** The judgement: does it fit, with how much to spare, and what breaks first. */
function Verdict({ days }: { days: Planned }) {
  const left = days.stations.filter((s) => s.why)
  const breaks = days.remarks.filter((r) => r.breaks)
  const last = days.ends.findLast((e) => e.ends != null)
  const slack = last ? last.to - last.ends! : 0
  const first = days.gives[0]
  const evidence = [
    ...breaks.slice(0, 3).map((r) => r.said),
    ...(first?.share != null
      ? [words.breaksFirst(words.part[first.part], share(first.share), first.station ?? '')]
      : []),
    ...(first?.share == null ? [words.nothingBreaks] : []),
  ]
  const tone = slack < CLOSE ? 'doubtful' : 'sound'
  const all = days.stations.length
  const first0 = days.settings.dates[0]?.date ?? ''
  const when =
    last?.ends != null && days.ends.length > 1 ? `${dateOf(first0, last.ends)} ${clock(last.ends)}` : clock(last?.ends)
  return (
    <VerdictCard
      tone={breaks.length > 0 ? 'failed' : tone}
      title={left.length > 0 ? words.doNotFit(left.length, all) : words.allFit(all, when, span(Math.max(0, slack)))}
      evidence={evidence}
    />
  )
}

/** As it was planned, or from a moment on with what the field noted. */
function Moment({ of, days }: { of: UseDays; days: Planned }) {
  const first = days.settings.dates[0]?.date ?? ''
  const offset = days.settings.offset
  const at = of.now ? clockOf(first, offset, of.now) : null
  const text = at === null ? '' : `${dateOf(first, at)}T${clock(at)}`
  const from = (v: string) => {
    const parsed = Date.parse(`${v}:00Z`)
    if (Number.isNaN(parsed)) return
    of.setNow(moment(first, offset, (parsed - Date.parse(`${first}T00:00:00Z`)) / 1000))
  }
  return (
    <>
      <Segmented
        aria-label={words.from}
        value={of.now ? 'now' : 'planned'}
        onChange={(v) => of.setNow(v === 'now' ? new Date().toISOString() : null)}
        options={[
          { value: 'planned', label: words.asPlanned },
          { value: 'now', label: words.fromNow },
        ]}
      />
      {of.now && (
        <span className="moment">
          <Day
            label={words.plannedAnewFrom}
            value={text.slice(0, 10)}
            edit
            onChange={(d) => from(`${d}T${text.slice(11)}`)}
          />
          <Time label={words.atTime} value={at ?? 0} edit onChange={(s) => from(`${text.slice(0, 10)}T${clock(s)}`)} />
        </span>
      )}
    </>
  )
}

const FILES = ['day.pdf', 'day.ics', 'day.csv'] as const

function Files({ of }: { of: UseDays }) {
  const query = of.now ? `?${new URLSearchParams({ now: of.now }).toString()}` : ''
  return (
    <span className="files">
      {FILES.map((f) => (
        <a key={f} href={`/api/jobs/${of.job.id}/day/files/${f}${query}`} download>
          {words.file[f]}
        </a>
      ))}
    </span>
  )
}
