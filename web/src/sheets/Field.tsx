import { Button, Checkbox, Input, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { SetUp } from '../field/SetUp'
import { UploadQueue } from '../field/UploadQueue'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Caution, Head, Ledger } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import type { Item } from '../plan/usePlan'
import { Tasks } from '../shell/Tasks'

type Scan = Omit<Schema['ScanRow'], 'log'> & {
  log: {
    operator?: string
    instrument_height?: number | null
    note?: string
    settings?: string
    time?: string
    file?: string
    set_up?: Schema['SetUpDto']
  }
}

/** Scans: taken by the scanner, or brought as files; a log entry each. */
export default function Field() {
  const job = useJob()
  const u = useUnits()
  const edit = canEdit(job)
  const plan = useRead<Item[]>('/api/jobs/{job}/plan')
  const scans = useRead<Scan[]>('/api/jobs/{job}/scans')
  const [picked, setPicked] = useState<string[]>([])
  const [operator, setOperator] = useState('')
  const [height, setHeight] = useState<number | null>(null)
  const [note, setNote] = useState('')
  const [selected, setSelected] = useState<string | null>(null)
  const stations = (plan.data ?? []).filter((i) => i.kind === 'station')
  const taken = new Set((scans.data ?? []).map((s) => s.station_id))
  const start = useChange(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/field/scan', {
          params: { path: { job: job.id } },
          body: { stations: picked, operator, instrument_height: height, note },
        }),
      ),
    () => setPicked([]),
  )
  const scan = scans.data?.find((s) => s.id === selected)
  return (
    <div className="page touch">
      <Head aside={`${scans.data?.length ?? 0} scans`}>Field</Head>
      <Tasks kinds={['scan', 'ingest']} ended={4} />
      {edit && (
        <>
          {job.simulated && <Head aside="a simulated instrument: its minutes run faster than life">Scanner</Head>}
          <Caution>
            Laser in use: keep optics out of the beam. Set the tripod clear of edges, traffic and walkways. Follow the
            site's rules.
          </Caution>
          {!job.simulated ? null : stations.length === 0 ? (
            <p className="empty">No stations on the plan yet.</p>
          ) : (
            <>
              <div className="bar" role="group" aria-label="Stations to scan">
                {stations.map((s) => (
                  <Checkbox
                    key={s.id}
                    checked={picked.includes(s.id)}
                    onChange={(e) => setPicked(e.target.checked ? [...picked, s.id] : picked.filter((x) => x !== s.id))}
                  >
                    {s.data.name}
                    {taken.has(s.id) ? ' ✓' : ''}
                  </Checkbox>
                ))}
                <Button
                  size="small"
                  onClick={() => setPicked(stations.filter((s) => !taken.has(s.id)).map((s) => s.id))}
                >
                  All not yet taken
                </Button>
              </div>
              <div className="bar">
                <Input
                  aria-label="Operator"
                  placeholder="Operator"
                  value={operator}
                  onChange={(e) => setOperator(e.target.value)}
                  style={{ width: 190 }}
                />
                <span className="faint">Instrument height</span>
                <div style={{ width: 130 }}>
                  <LengthInput label="Instrument height" value={height} onChange={setHeight} />
                </div>
                <Input
                  aria-label="Note"
                  placeholder="Note"
                  value={note}
                  onChange={(e) => setNote(e.target.value)}
                  style={{ width: 280 }}
                />
                <Button
                  type="primary"
                  disabled={picked.length === 0 || !operator.trim()}
                  loading={start.isPending}
                  onClick={() => start.mutate(undefined)}
                >
                  Scan {picked.length || ''} station{picked.length === 1 ? '' : 's'}
                </Button>
              </div>
              {picked.length > 0 && !operator.trim() && <p className="faint">Say who operates the scanner to begin.</p>}
            </>
          )}
          <UploadQueue />
        </>
      )}
      <Head>Scans</Head>
      <Ledger
        label="Scans"
        rows={scans.data ?? []}
        id={(s) => s.id}
        selected={selected}
        onSelect={setSelected}
        empty="No scans yet. Let the scanner take the planned stations, or drop files above."
        columns={[
          {
            head: 'Scan',
            cell: (s) => (
              <>
                {s.name}
                {s.simulated && <span className="faint"> simulated</span>}
              </>
            ),
          },
          { head: 'Points', num: true, cell: (s) => s.points.toLocaleString('en').replaceAll(',', ' ') },
          { head: 'Station', cell: (s) => stations.find((x) => x.id === s.station_id)?.data.name ?? '–' },
          {
            head: 'Grid',
            cell: (s) =>
              `${!s.has_scanner ? 'cloud without a scanner position' : s.gridded ? 'structured' : 'unordered'}${s.coloured ? ', colours' : ''}${s.images ? `, ${s.images} picture${s.images === 1 ? '' : 's'}` : ''}`,
          },
          { head: 'Levelled', cell: (s) => (!s.has_scanner ? '–' : s.levelled ? 'yes' : 'no') },
          { head: 'Operator', cell: (s) => s.log.operator ?? '–' },
          { head: <>Height [{u.code}]</>, num: true, cell: (s) => u.len(s.log.instrument_height) },
          { head: 'Settings', cell: (s) => s.log.settings ?? s.log.file ?? '' },
          { head: 'Time (UTC)', cell: (s) => s.log.time?.slice(0, 16).replace('T', ' ') ?? '' },
          {
            head: 'Note',
            cell: (s) => (
              <>
                {s.log.note}
                {s.reference && <span className="faint"> {s.reference}</span>}
                {s.skipped > 0 && <span className="warn"> {s.skipped} invalid points left out</span>}
              </>
            ),
          },
        ]}
      />
      {scan && edit && <Entry key={`${scan.id}${scan.version}`} scan={scan} stations={stations} />}
    </div>
  )
}

function Entry({ scan, stations }: { scan: Scan; stations: Item[] }) {
  const job = useJob()
  const [name, setName] = useState(scan.name)
  const [log, setLog] = useState(scan.log)
  const [levelled, setLevelled] = useState(scan.levelled)
  const [station, setStation] = useState(scan.station_id ?? null)
  const save = useChange(async () =>
    unwrap(
      await api.PUT('/api/jobs/{job}/scans/{scan}', {
        params: { path: { job: job.id, scan: scan.id } },
        body: { name, station, levelled, log: log as Record<string, never>, version: scan.version },
      }),
    ),
  )
  const remove = useChange(async () =>
    unwrap(await api.DELETE('/api/jobs/{job}/scans/{scan}', { params: { path: { job: job.id, scan: scan.id } } })),
  )
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        save.mutate(undefined)
      }}
    >
      <Head
        aside={
          <Button danger size="small" onClick={() => remove.mutate(undefined)}>
            Remove scan
          </Button>
        }
      >
        Log entry of {scan.name}
      </Head>
      <div className="fields">
        <div className="field">
          <label>Name</label>
          <Input aria-label="Scan name" value={name} onChange={(e) => setName(e.target.value)} />
        </div>
        <div className="field">
          <label>Station</label>
          <Select
            aria-label="Scan station"
            style={{ width: '100%' }}
            value={station ?? ''}
            onChange={(v) => setStation(v || null)}
            options={[{ value: '', label: 'none' }, ...stations.map((s) => ({ value: s.id, label: s.data.name }))]}
          />
        </div>
        <div className="field">
          <label>Operator</label>
          <Input
            aria-label="Scan operator"
            value={log.operator ?? ''}
            onChange={(e) => setLog({ ...log, operator: e.target.value })}
          />
        </div>
        <div className="field">
          <label>Instrument height</label>
          <LengthInput
            label="Scan instrument height"
            value={log.instrument_height}
            onChange={(v) => setLog({ ...log, instrument_height: v })}
          />
        </div>
        <div className="field">
          <label>Note</label>
          <Input
            aria-label="Scan note"
            value={log.note ?? ''}
            onChange={(e) => setLog({ ...log, note: e.target.value })}
          />
        </div>
      </div>
      <SetUp
        value={log.set_up ?? { mark: '', height: 0, sights: [] }}
        height={log.instrument_height}
        onChange={(set_up) => setLog({ ...log, set_up })}
      />
      <div className="bar">
        <Checkbox checked={levelled} onChange={(e) => setLevelled(e.target.checked)}>
          levelled (compensator on)
        </Checkbox>
        <Button type="primary" htmlType="submit" loading={save.isPending}>
          Save entry
        </Button>
      </div>
    </form>
  )
}
