import { Button, Checkbox, Select } from 'antd'
import { useEffect, useRef, useState } from 'react'
import type * as tus from 'tus-js-client'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'
import { UNIT_NAMES } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import type { Item } from '../plan/usePlan'
import { dropped } from './dropped'
import { TextColumns } from './TextColumns'
import { send } from './tus'

interface Entry {
  key: string
  file: File
  station: string | null
  unit: string
  up: string
  columns: number[]
  state: 'ready' | 'waiting' | 'sending' | 'done' | 'failed'
  sent: number
  from: number
  began: number
  reason: string
}

const SCAN = /\.(e57|las|laz|ply|xyz|txt|pts|asc|csv)$/i
const isText = (f: File) => /\.(xyz|txt|pts|asc|csv)$/i.test(f.name)
const asks = (f: File) => !/\.e57$/i.test(f.name)
const AT_ONCE = 2
const size = (b: number) => (b >= 1e9 ? `${(b / 1e9).toFixed(2)} GB` : `${(b / 1e6).toFixed(1)} MB`)
const span = (s: number) =>
  s > 5400 ? `${(s / 3600).toFixed(1)} h` : s > 90 ? `${Math.round(s / 60)} min` : `${Math.max(1, Math.round(s))} s`

/** Files of one's own: a folder goes in with one drop; station, unit and columns can be changed before they are sent. */
export function UploadQueue() {
  const job = useJob()
  const plan = useRead<Item[]>('/api/jobs/{job}/plan')
  const stored = useRead<Schema['StoreState']>('/api/jobs/{job}/uploads')
  const stations = (plan.data ?? []).filter((i) => i.kind === 'station')
  const [queue, setQueue] = useState<Entry[]>([])
  const [levelled, setLevelled] = useState(true)
  const [scanner, setScanner] = useState<[number, number, number]>([0, 0, 0])
  const [over, setOver] = useState(false)
  const [passed, setPassed] = useState<string[]>([])
  const running = useRef(new Map<string, tus.Upload>())
  const files = useRef<HTMLInputElement>(null)
  const folder = useRef<HTMLInputElement>(null)
  const path = { params: { path: { job: job.id } } }
  const set = (key: string, part: Partial<Entry>) =>
    setQueue((q) => q.map((e) => (e.key === key ? { ...e, ...part } : e)))
  const giveUp = useChange(async (id: string) =>
    unwrap(await api.DELETE('/api/jobs/{job}/uploads/{upload}', { params: { path: { job: job.id, upload: id } } })),
  )

  const add = async (list: File[]) => {
    const scans = list.filter((f) => SCAN.test(f.name))
    setPassed(list.filter((f) => !SCAN.test(f.name)).map((f) => f.name))
    if (scans.length === 0) return
    const order = await api
      .POST('/api/jobs/{job}/uploads/propose', { ...path, body: { names: scans.map((f) => f.name) } })
      .then(unwrap)
      .catch(() => scans.map((_, file) => ({ file, station: null })))
    setQueue((q) => [
      ...q.filter((e) => e.state !== 'done'),
      ...order.map(({ file, station }): Entry => ({
        key: crypto.randomUUID(),
        file: scans[file]!,
        station: station ?? null,
        unit: 'm',
        up: 'z',
        columns: [],
        state: 'ready',
        sent: 0,
        from: 0,
        began: 0,
        reason: '',
      })),
    ])
  }
  const start = async (e: Entry) => {
    set(e.key, { state: 'sending', began: performance.now(), reason: '' })
    const meta: Record<string, string> = {
      levelled: String(levelled),
      unit: e.unit,
      up: e.up,
      x: String(scanner[0]),
      y: String(scanner[1]),
      z: String(scanner[2]),
    }
    if (e.station) meta.station = e.station
    if (e.columns.length) meta.columns = e.columns.join(' ')
    let first = true
    // the next file begins once this one is announced: the scans keep their order
    await new Promise<void>((announced) => {
      void send(job.id, e.file, meta, {
        created: announced,
        progress: (sent) => {
          set(e.key, first ? { sent, from: sent, began: performance.now() } : { sent })
          first = false
        },
        done: () => {
          running.current.delete(e.key)
          set(e.key, { state: 'done', sent: e.file.size })
          void stored.refetch()
          announced()
        },
        failed: (reason) => {
          running.current.delete(e.key)
          set(e.key, { state: 'failed', reason })
          announced()
        },
      }).then((u) => running.current.set(e.key, u))
    })
  }
  const starting = useRef(false)
  useEffect(() => {
    const next = queue.find((e) => e.state === 'waiting')
    if (!next || starting.current || queue.filter((e) => e.state === 'sending').length >= AT_ONCE) return
    starting.current = true
    void start(next).finally(() => {
      starting.current = false
      setQueue((q) => [...q])
    })
  })
  useEffect(() => {
    const ask = (e: BeforeUnloadEvent) => {
      if (running.current.size) e.preventDefault()
    }
    window.addEventListener('beforeunload', ask)
    return () => window.removeEventListener('beforeunload', ask)
  }, [])
  const remove = (e: Entry) => {
    void running.current.get(e.key)?.abort(true)
    running.current.delete(e.key)
    setQueue((q) => q.filter((x) => x.key !== e.key))
  }
  const ready = queue.filter((e) => e.state === 'ready')
  const active = queue.filter((e) => e.state === 'sending' || e.state === 'waiting')
  const left = active.reduce((s, e) => s + e.file.size - e.sent, 0)
  const rate = active
    .filter((e) => e.state === 'sending' && e.began)
    .reduce((s, e) => s + ((e.sent - e.from) / Math.max(performance.now() - e.began, 1)) * 1000, 0)
  const receiving = (stored.data?.receiving ?? []).filter(
    (r) => !queue.some((e) => e.file.name === r.file_name && e.state !== 'failed'),
  )
  return (
    <>
      <Head aside="E57, LAS, LAZ, COPC, PLY, XYZ text; a broken upload goes on where it stopped">
        Files of your own
      </Head>
      <div
        className={`drop ${over ? 'over' : ''}`}
        onDragOver={(e) => {
          e.preventDefault()
          setOver(true)
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault()
          setOver(false)
          void dropped(e.dataTransfer).then(add)
        }}
      >
        <span>Drop scan files or a folder here</span>
        <Button onClick={() => files.current?.click()}>Choose files</Button>
        <Button onClick={() => folder.current?.click()}>Choose a folder</Button>
        <input
          ref={files}
          type="file"
          multiple
          hidden
          aria-label="Scan files"
          onChange={(e) => {
            void add([...(e.target.files ?? [])])
            e.target.value = ''
          }}
        />
        <input
          ref={folder}
          type="file"
          hidden
          aria-label="Folder of scans"
          {...{ webkitdirectory: '' }}
          onChange={(e) => {
            void add([...(e.target.files ?? [])])
            e.target.value = ''
          }}
        />
      </div>
      {passed.length > 0 && (
        <p className="warn">
          Left aside, not scans: {passed.slice(0, 5).join(', ')}
          {passed.length > 5 && ` and ${passed.length - 5} more`}. Expected E57, LAS, LAZ, PLY or text.
        </p>
      )}
      <div className="bar">
        <Checkbox checked={levelled} onChange={(e) => setLevelled(e.target.checked)}>
          levelled (compensator on)
        </Checkbox>
        <span className="faint">files other than E57: scanner stood at x, y, z</span>
        {scanner.map((v, i) => (
          <div key={i} style={{ width: 120 }}>
            <LengthInput
              label={`Scanner ${'xyz'[i]}`}
              value={v}
              onChange={(m) => setScanner(scanner.map((o, k) => (k === i ? (m ?? 0) : o)) as [number, number, number])}
            />
          </div>
        ))}
      </div>
      {queue.length > 0 && (
        <table className="ledger" aria-label="Upload queue">
          <thead>
            <tr>
              <th>File</th>
              <th className="num">Size</th>
              <th>Station</th>
              <th>Unit, up, columns</th>
              <th style={{ width: 220 }}>Progress</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {queue.map((e) => (
              <tr key={e.key} className={e.state === 'failed' ? 'bad' : ''} data-state={e.state}>
                <td>{e.file.name}</td>
                <td className="num">{size(e.file.size)}</td>
                <td>
                  {e.state === 'ready' ? (
                    <Select
                      size="small"
                      aria-label={`Station of ${e.file.name}`}
                      style={{ width: 120 }}
                      value={e.station ?? ''}
                      onChange={(v) => set(e.key, { station: v || null })}
                      options={[
                        { value: '', label: 'none' },
                        ...stations.map((s) => ({ value: s.id, label: s.data.name })),
                      ]}
                    />
                  ) : (
                    (stations.find((s) => s.id === e.station)?.data.name ?? '–')
                  )}
                </td>
                <td>
                  {e.state === 'ready' && asks(e.file) ? (
                    <span className="bar" style={{ margin: 0 }}>
                      <Select
                        size="small"
                        aria-label={`Unit of ${e.file.name}`}
                        style={{ width: 84 }}
                        value={e.unit}
                        onChange={(unit) => set(e.key, { unit })}
                        options={Object.keys(UNIT_NAMES).map((value) => ({ value }))}
                      />
                      <Select
                        size="small"
                        aria-label={`Up axis of ${e.file.name}`}
                        style={{ width: 76 }}
                        value={e.up}
                        onChange={(up) => set(e.key, { up })}
                        options={[
                          { value: 'z', label: 'z up' },
                          { value: 'y', label: 'y up' },
                        ]}
                      />
                      {isText(e.file) && (
                        <TextColumns
                          file={e.file}
                          columns={e.columns}
                          onChange={(columns) => set(e.key, { columns })}
                        />
                      )}
                    </span>
                  ) : asks(e.file) ? (
                    `${e.unit}, ${e.up} up`
                  ) : (
                    <span className="faint">said by the file</span>
                  )}
                </td>
                <td>
                  {e.state === 'sending' ? (
                    <progress
                      value={e.sent}
                      max={e.file.size}
                      aria-label={`${e.file.name} sent`}
                      style={{ width: '100%' }}
                    />
                  ) : e.state === 'failed' ? (
                    e.reason
                  ) : e.state === 'done' ? (
                    'sent; reading it now'
                  ) : (
                    e.state
                  )}
                </td>
                <td>
                  {e.state === 'failed' && (
                    <a
                      href="#again"
                      onClick={(x) => {
                        x.preventDefault()
                        set(e.key, { state: 'waiting' })
                      }}
                    >
                      again{' '}
                    </a>
                  )}
                  {e.state !== 'done' && (
                    <a
                      href="#drop"
                      aria-label={`Remove ${e.file.name}`}
                      onClick={(x) => {
                        x.preventDefault()
                        remove(e)
                      }}
                    >
                      remove
                    </a>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {(ready.length > 0 || active.length > 0) && (
        <div className="bar">
          {ready.length > 0 && (
            <Button
              type="primary"
              onClick={() => setQueue((q) => q.map((e) => (e.state === 'ready' ? { ...e, state: 'waiting' } : e)))}
            >
              Upload {ready.length} file{ready.length === 1 ? '' : 's'}
            </Button>
          )}
          {active.length > 0 && (
            <span role="status">
              {active.length} to go, {size(left)} left{rate > 0 && ` at ${size(rate)}/s, about ${span(left / rate)}`};
              the page may be closed and the files dropped again later
            </span>
          )}
        </div>
      )}
      {receiving.length > 0 && (
        <table className="ledger" aria-label="Unfinished uploads">
          <thead>
            <tr>
              <th>Unfinished</th>
              <th className="num">arrived</th>
              <th className="num">of</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {receiving.map((r) => (
              <tr key={r.id}>
                <td>
                  {r.file_name} <span className="faint">drop the same file again to go on</span>
                </td>
                <td className="num">{size(r.received)}</td>
                <td className="num">{size(r.bytes)}</td>
                <td>
                  <a
                    href="#give-up"
                    onClick={(e) => {
                      e.preventDefault()
                      giveUp.mutate(r.id)
                    }}
                  >
                    give up
                  </a>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {stored.data && (
        <p className="faint" aria-label="Room taken">
          This job takes {size(stored.data.usage.uploads)} of files as they came, {size(stored.data.usage.derived)} made
          from them, {size(stored.data.usage.packages)} of packages
          {stored.data.free != null && `; ${size(stored.data.free)} are free`}.
        </p>
      )}
    </>
  )
}
