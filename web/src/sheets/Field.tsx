import { Segmented } from 'antd'
import { useState } from 'react'
import { Entry } from '../field/Entry'
import { Scanner } from '../field/Scanner'
import { OnSite } from '../field/site/OnSite'
import { UploadQueue } from '../field/UploadQueue'
import { count } from '../lib/count'
import { when } from '../lib/format'
import { canEdit, type Item, type Scan, useJob, useRead } from '../lib/hooks'
import { usePicks } from '../lib/picks'
import { useUnits } from '../lib/units'
import { Caution, Head, Ledger, States } from '../parts'
import { Tasks } from '../shell/Tasks'
import { field as words } from '../words'

type View = 'site' | 'scans'
const VIEW = 'vistazo-field-view'

/** What is seen first: on a tablet or a phone, the sheet for whoever stands on site. */
function firstView(): View {
  const kept = localStorage.getItem(VIEW)
  if (kept === 'site' || kept === 'scans') return kept
  return window.matchMedia('(pointer: coarse), (max-width: 900px)').matches ? 'site' : 'scans'
}

/** On site, or the scans: taken by the scanner, or brought as files. */
export default function Field() {
  const [view, setView] = useState<View>(firstView)
  return (
    <div className="page touch">
      <Segmented
        className="field-view"
        aria-label={words.fieldView}
        value={view}
        onChange={(v: View) => {
          localStorage.setItem(VIEW, v)
          setView(v)
        }}
        options={[
          { value: 'site', label: words.onSite },
          { value: 'scans', label: words.scansAndFiles },
        ]}
      />
      {view === 'site' ? <OnSite /> : <ScansAndFiles />}
    </div>
  )
}

/** Scans with a log entry each, and what brings them. */
function ScansAndFiles() {
  const job = useJob()
  const edit = canEdit(job)
  const plan = useRead('/api/jobs/{job}/plan')
  const scans = useRead('/api/jobs/{job}/scans')
  const [picks, setPicks] = usePicks()
  const stations = (plan.data ?? []).filter((i) => i.kind === 'station')
  // a station is picked with its scan, and a scan by its name
  const named = (s: Scan) =>
    picks.some(
      (p) =>
        (p.kind === 'scan' && p.name === s.name) ||
        (p.kind === 'station' && p.name === (stations.find((x) => x.id === s.station_id)?.data.name ?? s.name)),
    )
  const scan = scans.data?.find(named)
  const select = (id: string | null) => {
    const s = scans.data?.find((x) => x.id === id)
    setPicks(s ? [{ kind: 'scan', name: s.name }] : [])
  }
  return (
    <>
      <Head aside={scans.data ? words.scans(scans.data.length) : ''}>{words.field}</Head>
      <Tasks kinds={['scan', 'ingest']} ended={1} />
      <States of={[plan, scans]} what={words.theScans}>
        <Scans rows={scans.data ?? []} stations={stations} selected={scan?.id ?? null} onSelect={select} />
        {scan && edit && <Entry key={scan.id} scan={scan} stations={stations} onGone={() => select(null)} />}
        {edit && (
          <>
            <Caution>{words.laserInUseKeep}</Caution>
            {job.simulated && (
              <Scanner stations={stations} taken={new Set((scans.data ?? []).map((s) => s.station_id))} />
            )}
            <UploadQueue />
          </>
        )}
      </States>
    </>
  )
}

const levelled = (s: Scan) => {
  if (!s.has_scanner) return '–'
  return s.levelled ? words.yes : words.no
}

/** What a scan is, in a word or two. */
function form(s: Scan): string {
  const pictures = s.images ? `, ${words.pictures(s.images)}` : ''
  const ordered = s.gridded ? words.structured : words.unordered
  const kind = s.has_scanner ? ordered : words.cloudWithoutAScanner
  return `${kind}${s.coloured ? words.colours : ''}${pictures}`
}

function Scans(p: { rows: Scan[]; stations: Item[]; selected: string | null; onSelect: (id: string | null) => void }) {
  const u = useUnits()
  const names = new Map(p.stations.map((s) => [s.id, s.data.name]))
  return (
    <Ledger
      label={words.scansText}
      rows={p.rows}
      id={(s) => s.id}
      selected={p.selected}
      onSelect={p.onSelect}
      empty={words.noScansYetLet}
      columns={[
        {
          head: words.scan,
          value: (s) => s.name,
          cell: (s) => (
            <>
              {s.name}
              {s.simulated && <span className="faint">{words.simulated}</span>}
            </>
          ),
        },
        { head: words.points, num: true, cell: (s) => count(s.points), value: (s) => s.points },
        { head: words.station, cell: (s) => names.get(s.station_id ?? '') ?? '–' },
        { head: words.structure, cell: form },
        { head: words.levelled, cell: levelled },
        { head: words.operator, cell: (s) => s.log.operator ?? '–' },
        { head: <>{words.height(u.code)}</>, num: true, cell: (s) => u.len(s.log.instrument_height) },
        { head: words.settings, cell: (s) => s.log.settings ?? s.log.file ?? '' },
        { head: words.time, cell: (s) => when(s.log.time) },
        {
          head: words.note,
          cell: (s) => (
            <>
              {s.log.note}
              {s.reference && <span className="faint"> {s.reference}</span>}
              {s.skipped > 0 && <span className="warn">{words.invalidPointsLeftOut(count(s.skipped))}</span>}
            </>
          ),
        },
      ]}
    />
  )
}
