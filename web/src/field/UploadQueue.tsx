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
import { field as words } from '../words'

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
      <Head aside={words.e57LasLazCopc}>{words.filesOfYourOwn}</Head>
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
        <span>{words.dropScanFilesOr}</span>
        <Button onClick={() => files.current?.click()}>{words.chooseFiles}</Button>
        <Button onClick={() => folder.current?.click()}>{words.chooseAFolder}</Button>
        <input
          ref={files}
          type="file"
          multiple
          hidden
          aria-label={words.scanFiles}
          onChange={(e) => {
            void add([...(e.target.files ?? [])])
            e.target.value = ''
          }}
        />
        <input
          ref={folder}
          type="file"
          hidden
          aria-label={words.folderOfScans}
          {...{ webkitdirectory: '' }}
          onChange={(e) => {
            void add([...(e.target.files ?? [])])
            e.target.value = ''
          }}
        />
      </div>
      {passed.length > 0 && (
        <p className="warn">
          {words.leftAsideNotScans(passed.slice(0, 5).join(', '))}
          {passed.length > 5 && words.andMore(passed.length - 5)}
          {words.expectedE57LasLaz}
        </p>
      )}
      <div className="bar">
        <Checkbox checked={levelled} onChange={(e) => uploads.setCommon({ levelled: e.target.checked })}>
          {words.levelledCompensatorOn}
        </Checkbox>
        <span className="faint">{words.filesOtherThanE57}</span>
        {scanner.map((v, i) => (
          <div key={i} style={{ width: 120 }}>
            <LengthInput
              label={words.scannerValue('xyz'[i])}
              value={v}
              onChange={(m) =>
                uploads.setCommon({ scanner: scanner.map((o, k) => (k === i ? (m ?? 0) : o)) as Common['scanner'] })
              }
            />
          </div>
        ))}
      </div>
      {queue.length > 0 && (
        <table className="ledger" aria-label={words.uploadQueue}>
          <thead>
            <tr>
              <th>{words.file}</th>
              <th className="num">{words.size}</th>
              <th>{words.station}</th>
              <th>{words.unitUpColumns}</th>
              <th style={{ width: 220 }}>{words.progress}</th>
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
              {words.uploadFile(ready.length, ready.length === 1 ? '' : 's')}
            </Button>
          )}
          {active.length > 0 && (
            <span role="status">
              {words.toGoLeft(active.length, size(left))}
              {rate > 0 && words.atSAbout(size(rate), span(left / rate))}
              {words.youMayGoOn}
            </span>
          )}
        </div>
      )}
      {receiving.length > 0 && (
        <table className="ledger" aria-label={words.unfinishedUploads}>
          <thead>
            <tr>
              <th>{words.unfinished}</th>
              <th className="num">{words.arrived}</th>
              <th className="num">{words.of}</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {receiving.map((r) => (
              <tr key={r.id}>
                <td>
                  {r.file_name} <span className="faint">{words.dropTheSameFile}</span>
                </td>
                <td className="num">{size(r.received)}</td>
                <td className="num">{size(r.bytes)}</td>
                <td>
                  <Confirm title={words.whatArrivedOfIs(r.file_name)} onConfirm={() => giveUp.mutate(r.id)}>
                    {words.cancel}
                  </Confirm>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {stored.data && (
        <p className="faint" aria-label={words.roomTaken}>
          {words.thisJobTakesOf(
            size(stored.data.usage.uploads),
            size(stored.data.usage.derived),
            size(stored.data.usage.packages),
          )}
          {stored.data.free != null && words.areFree(size(stored.data.free))}.
        </p>
      )}
    </>
  )
}
