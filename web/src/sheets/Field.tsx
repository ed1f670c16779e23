import { Entry } from '../field/Entry'
import { Scanner } from '../field/Scanner'
import { UploadQueue } from '../field/UploadQueue'
import { count, plural, when } from '../lib/format'
import { canEdit, type Item, type Scan, useJob, useRead } from '../lib/hooks'
import { usePicks } from '../lib/picks'
import { useUnits } from '../lib/units'
import { Caution, Head, Ledger, States } from '../parts'
import { Tasks } from '../shell/Tasks'

/** Scans: taken by the scanner, or brought as files; a log entry each. */
export default function Field() {
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
    <div className="page touch">
      <Head aside={scans.data ? plural(scans.data.length, 'scan') : ''}>Field</Head>
      <Tasks kinds={['scan', 'ingest']} ended={1} />
      <States of={[plan, scans]} what="The scans">
        <Scans rows={scans.data ?? []} stations={stations} selected={scan?.id ?? null} onSelect={select} />
        {scan && edit && <Entry key={scan.id} scan={scan} stations={stations} onGone={() => select(null)} />}
        {edit && (
          <>
            <Caution>
              Laser in use: keep optics out of the beam. Set the tripod clear of edges, traffic and walkways. Follow the
              site's rules.
            </Caution>
            {job.simulated && (
              <Scanner stations={stations} taken={new Set((scans.data ?? []).map((s) => s.station_id))} />
            )}
            <UploadQueue />
          </>
        )}
      </States>
    </div>
  )
}

const levelled = (s: Scan) => {
  if (!s.has_scanner) return '–'
  return s.levelled ? 'yes' : 'no'
}

/** What a scan is, in a word or two. */
function form(s: Scan): string {
  const pictures = s.images ? `, ${plural(s.images, 'picture')}` : ''
  const ordered = s.gridded ? 'structured' : 'unordered'
  const kind = s.has_scanner ? ordered : 'cloud without a scanner position'
  return `${kind}${s.coloured ? ', colours' : ''}${pictures}`
}

function Scans(p: { rows: Scan[]; stations: Item[]; selected: string | null; onSelect: (id: string | null) => void }) {
  const u = useUnits()
  const names = new Map(p.stations.map((s) => [s.id, s.data.name]))
  return (
    <Ledger
      label="Scans"
      rows={p.rows}
      id={(s) => s.id}
      selected={p.selected}
      onSelect={p.onSelect}
      empty="No scans yet. Let the scanner take the planned stations, or drop files below."
      columns={[
        {
          head: 'Scan',
          value: (s) => s.name,
          cell: (s) => (
            <>
              {s.name}
              {s.simulated && <span className="faint"> simulated</span>}
            </>
          ),
        },
        { head: 'Points', num: true, cell: (s) => count(s.points), value: (s) => s.points },
        { head: 'Station', cell: (s) => names.get(s.station_id ?? '') ?? '–' },
        { head: 'Structure', cell: form },
        { head: 'Levelled', cell: levelled },
        { head: 'Operator', cell: (s) => s.log.operator ?? '–' },
        { head: <>Height [{u.code}]</>, num: true, cell: (s) => u.len(s.log.instrument_height) },
        { head: 'Settings', cell: (s) => s.log.settings ?? s.log.file ?? '' },
        { head: 'Time', cell: (s) => when(s.log.time) },
        {
          head: 'Note',
          cell: (s) => (
            <>
              {s.log.note}
              {s.reference && <span className="faint"> {s.reference}</span>}
              {s.skipped > 0 && <span className="warn"> {count(s.skipped)} invalid points left out</span>}
            </>
          ),
        },
      ]}
    />
  )
}
