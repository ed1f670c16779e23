import { useQueryClient } from '@tanstack/react-query'
import { Button } from 'antd'
import { useState } from 'react'
import type { Schema } from '../../api/client'
import { num, span } from '../../lib/format'
import { canEdit, useJob, useRead } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Caution, Grade, Head, States } from '../../parts'
import type { User } from '../../shell/Shell'
import { field as words } from '../../words'
import { ByHand } from './ByHand'
import { Camera } from './Camera'
import { Checklist } from './Checklist'
import { type Entry, heads } from './journal'
import { InstrumentCheck } from './InstrumentCheck'
import { Kit, useKit } from './Kit'
import { NextCard, nextOf } from './NextCard'
import { Measure } from './Measure'
import { Notes, type Pin } from './Notes'
import { Record } from './Record'
import { SetUps } from './SetUps'
import { SiteMap } from './SiteMap'
import { StationForm } from './StationForm'
import { type Journal, useJournal } from './useJournal'
import { Versions } from './Versions'

export type Station = Schema['FieldStationDto']
type Now = Schema['FieldNowDto']

/** The field sheet of whoever stands on site: what to do next, what was noted, what is missing. Works without a network. */
export function OnSite() {
  const job = useJob()
  const me = useQueryClient().getQueryData<User>(['me']) ?? { id: '', name: '' }
  const now = useRead('/api/jobs/{job}/field/now')
  const journal = useJournal(me)
  const kit = useKit()
  const [open, setOpen] = useState<string | null>(null)
  const edit = canEdit(job)
  const [place, setPlace] = useState<[number, number] | null>(null)
  const [pin, setPin] = useState<Pin | null>(null)
  const station = now.data?.stations.find((s) => s.id === open)
  return (
    <div className="site">
      <Strip journal={journal} now={now.data} me={me.id} />
      <States of={[now, journal.read]} what={words.theDay}>
        {now.data && station && (
          <StationForm
            key={station.id}
            station={station}
            journal={journal}
            onClose={() => {
              setOpen(null)
              void now.refetch()
            }}
          />
        )}
        {now.data && !station && (
          <>
            <NextCard now={now.data} entries={journal.entries} onOpen={edit ? setOpen : undefined} />
            {now.data.check_due && <p className="warn">{now.data.check_due}</p>}
            {now.data.hazards.length > 0 && (
              <Caution>
                <ul aria-label={words.hazardsText}>
                  {now.data.hazards.map((h) => (
                    <li key={h}>{h}</li>
                  ))}
                </ul>
              </Caution>
            )}
            <Versions journal={journal} stations={now.data.stations} edit={edit} />
            {!now.data.next && <Leave now={now.data} journal={journal} />}
            <SiteMap now={now.data} entries={journal.entries} pin={place} onPin={edit ? setPlace : undefined} />
            <Stations stations={now.data.stations} entries={journal.entries} onOpen={edit ? setOpen : undefined} />
            <Kit
              devices={kit.data ?? []}
              journal={journal}
              edit={edit}
              next={now.data.stations.find((s) => s.id === nextOf(now.data, journal.entries)?.station)}
            />
            <Checklist
              devices={kit.data ?? []}
              begun={now.data.pace.taken > 0}
              items={now.data.checklist}
              journal={journal}
              edit={edit}
            />
            <InstrumentCheck
              journal={journal}
              edit={edit}
              instrument={job.brief.instrument.name}
              due={now.data.check_due}
            />
            <Camera journal={journal} edit={edit} costs={now.data.cameras} stations={now.data.stations} />
            <SetUps journal={journal} edit={edit} />
            <Measure journal={journal} edit={edit} onPin={setPin} />
            <Notes
              journal={journal}
              stations={now.data.stations}
              edit={edit}
              where={{
                place,
                pin,
                clear: () => {
                  setPlace(null)
                  setPin(null)
                },
              }}
            />
            {now.data.next && <Leave now={now.data} journal={journal} />}
            <ByHand journal={journal} edit={edit} saved={now.data.saved} />
            <Record journal={journal} />
          </>
        )}
      </States>
    </div>
  )
}

/** Whether the server is reached, what waits here, and how the day goes. */
function Strip({ journal, now, me }: { journal: Journal; now?: Now; me: string }) {
  const { entries, files } = journal.waiting
  const others = entries.filter((e) => e.by.id !== me)
  const left = entries.length + files.length
  const pace = now?.pace
  const behind = pace?.behind
  return (
    <div className={`site-strip ${journal.reached ? '' : 'away'}`} role="status" aria-live="polite">
      <b>{journal.reached ? words.networkThere : words.noNetwork}</b>
      <span>{left ? words.waitHere(entries.length, files.length) : words.allSent}</span>
      {others.length > 0 && <span className="warn">{words.ofOthers(others.length, others[0]?.by.name ?? '')}</span>}
      {pace && (
        <span>
          {words.takenOf(pace.taken, pace.of)}
          {pace.left > 60 && `, ${words.aboutToGo(span(pace.left))}`}
          {behind != null &&
            Math.abs(behind) > 60 &&
            `, ${behind > 0 ? words.late(span(behind)) : words.early(span(-behind))}`}
        </span>
      )}
    </div>
  )
}

/** How a station stands, with a sign that needs no colour. */
function standing(s: Station, mine: Entry[]): [string, string] {
  if (mine.length > 1) return ['≠', words.twoVersions]
  if (s.state === 'scanned') return ['●', words.scanned]
  if (mine.length === 1) return ['◐', mine[0]?.unsent ? words.notedHere : words.noted]
  return ['○', words.toTake]
}

function Stations(p: { stations: Station[]; entries: Entry[]; onOpen?: (id: string) => void }) {
  return (
    <>
      <Head aside={words.tapToNote}>{words.stations}</Head>
      <ul className="site-list" aria-label={words.stations}>
        {p.stations.map((s) => {
          const mine = heads(p.entries, `station ${s.id}`)
          const [sign, said] = standing(s, mine)
          return (
            <li key={s.id}>
              <Button
                block
                disabled={!p.onOpen}
                onClick={() => p.onOpen?.(s.id)}
                aria-label={words.noteStation(s.name)}
              >
                <b aria-hidden="true">{sign}</b>
                <strong>{s.name}</strong>
                <span>{said}</span>
                {s.tie ? (
                  <span className="tie">
                    <Grade value={s.tie.grade} /> {words.tiedTo(s.tie.to)}
                  </span>
                ) : (
                  <span className="faint">{words.scanTakes(span(s.seconds))}</span>
                )}
              </Button>
              {s.tie && <Tie of={s.tie} />}
              {s.stands && <Stands of={s.stands} />}
            </li>
          )
        })}
      </ul>
    </>
  )
}

/** What a tie rests on, in figures, and what would mend it. */
function Tie({ of: t }: { of: NonNullable<Station['tie']> }) {
  const u = useUnits()
  const figures = [
    words.weakest(u.err(t.weakest95), u.small),
    words.overlapOf(num(t.overlap * 100, 0)),
    t.distance == null ? '' : words.apart(u.len(t.distance, 1), u.code),
  ].filter(Boolean)
  return (
    <div className="site-tie">
      <span className="faint">{figures.join(' · ')}</span>
      {t.grade !== 'sound' && <p className="warn">{t.said.join('; ')}</p>}
      {t.mend && <p>{words.wouldMend(t.mend)}</p>}
    </div>
  )
}

/** Where a scan stands by the control that it shows, and what speaks against it. */
function Stands({ of: s }: { of: NonNullable<Station['stands']> }) {
  const u = useUnits()
  const [main, ...doubts] = s.said
  return (
    <div className={`site-tie ${s.sound ? '' : 'torn'}`}>
      <span className="faint">
        {main}
        {s.position &&
          ` · ${words.axisAt(u.len(s.position[0], 3), u.len(s.position[1], 3), u.len(s.position[2], 3), u.code)}`}
      </span>
      {doubts.map((d) => (
        <p key={d} className="warn">
          {d}
        </p>
      ))}
      {!s.sound && s.by.length > 0 && (
        <ul aria-label={words.leftAtControl} className="site-left">
          {s.by.map((b) => (
            <li key={b.name}>
              {b.name}: {words.leftThere(u.err(b.residual[0]), u.err(b.residual[1]), u.err(b.residual[2]), u.small)}
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}

/** What is missing before the site is left. What waits on this device counts as missing too. */
function Leave({ now, journal }: { now: Now; journal: Journal }) {
  const unsent = journal.waiting.entries.length + journal.waiting.files.length
  const list = [...now.missing.map((m) => m.said), ...(unsent ? [words.notSent(unsent)] : [])]
  return (
    <>
      <Head aside={list.length ? words.things(list.length) : ''}>{words.leaveTheSite}</Head>
      {list.length === 0 && <p className="site-ok">{words.nothingMissing}</p>}
      <ol className="site-missing" aria-label={words.leaveTheSite}>
        {list.map((m) => (
          <li key={m}>{m}</li>
        ))}
      </ol>
    </>
  )
}
