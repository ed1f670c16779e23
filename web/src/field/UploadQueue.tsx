import { Button, Checkbox } from 'antd'
import { useRef, useState } from 'react'
import { api, unwrap } from '../api/client'
import { size, span } from '../lib/format'
import { useChange, useJob, useRead } from '../lib/hooks'
import { Confirm, Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { dropped } from './dropped'
import { UploadRow } from './UploadRow'
import { type Common, pace, useUploads } from './uploads'

/** Files of one's own: a folder goes in with one drop; station, unit and columns can be changed before they are sent. */
export function UploadQueue() {
  const job = useJob()
  const plan = useRead('/api/jobs/{job}/plan')
  const stored = useRead('/api/jobs/{job}/uploads')
  const stations = (plan.data ?? []).filter((i) => i.kind === 'station')
  const uploads = useUploads(job.id)
  const { queue, active, leftAside: passed } = uploads
  const { levelled, scanner } = uploads.common
  const [over, setOver] = useState(false)
  const files = useRef<HTMLInputElement>(null)
  const folder = useRef<HTMLInputElement>(null)
  const giveUp = useChange(async (id: string) =>
    unwrap(await api.DELETE('/api/jobs/{job}/uploads/{upload}', { params: { path: { job: job.id, upload: id } } })),
  )
  const add = (list: File[]) => uploads.add(list)
  const ready = queue.filter((e) => e.state === 'ready')
  const { left, rate } = pace(active)
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
        <Checkbox checked={levelled} onChange={(e) => uploads.setCommon({ levelled: e.target.checked })}>
          levelled (compensator on)
        </Checkbox>
        <span className="faint">files other than E57: scanner stood at x, y, z</span>
        {scanner.map((v, i) => (
          <div key={i} style={{ width: 120 }}>
            <LengthInput
              label={`Scanner ${'xyz'[i]}`}
              value={v}
              onChange={(m) =>
                uploads.setCommon({ scanner: scanner.map((o, k) => (k === i ? (m ?? 0) : o)) as Common['scanner'] })
              }
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
              <UploadRow key={e.key} entry={e} uploads={uploads} stations={stations} />
            ))}
          </tbody>
        </table>
      )}
      {(ready.length > 0 || active.length > 0) && (
        <div className="bar">
          {ready.length > 0 && (
            <Button type="primary" onClick={() => uploads.startAll()}>
              Upload {ready.length} file{ready.length === 1 ? '' : 's'}
            </Button>
          )}
          {active.length > 0 && (
            <span role="status">
              {active.length} to go, {size(left)} left{rate > 0 && ` at ${size(rate)}/s, about ${span(left / rate)}`};
              you may go on to other sheets; after the page was closed, drop the same files again and they go on where
              they stopped
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
                  <Confirm title={`What arrived of ${r.file_name} is removed.`} onConfirm={() => giveUp.mutate(r.id)}>
                    cancel
                  </Confirm>
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
