import { Button, Checkbox } from 'antd'
import { size, span } from '../lib/format'
import { useJob, useRead } from '../lib/hooks'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { field as words } from '../words'
import { Drop } from './Drop'
import { Unfinished } from './Unfinished'
import { UploadRow } from './UploadRow'
import { type Common, pace, useUploads } from './uploads'

type Uploads = ReturnType<typeof useUploads>

/** Files of one's own: a folder goes in with one drop; station, unit and columns can be changed before they are sent. */
export function UploadQueue() {
  const job = useJob()
  const plan = useRead('/api/jobs/{job}/plan')
  const stored = useRead('/api/jobs/{job}/uploads')
  const stations = (plan.data ?? []).filter((i) => i.kind === 'station')
  const uploads = useUploads(job.id)
  const { queue, leftAside: passed } = uploads
  const receiving = (stored.data?.receiving ?? []).filter(
    (r) => !queue.some((e) => e.file.name === r.file_name && e.state !== 'failed'),
  )
  return (
    <>
      <Head aside={words.e57LasLazCopc}>{words.filesOfYourOwn}</Head>
      <Drop onFiles={(list) => uploads.add(list)} />
      {passed.length > 0 && (
        <p className="warn">
          {words.leftAsideNotScans(passed.slice(0, 5).join(', '))}
          {passed.length > 5 && words.andMore(passed.length - 5)}
          {words.expectedE57LasLaz}
        </p>
      )}
      <ForAll uploads={uploads} />
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
      <Sending uploads={uploads} />
      <Unfinished receiving={receiving} />
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

/** What files do not say themselves, for all that are dropped. */
function ForAll({ uploads }: { uploads: Uploads }) {
  const { levelled, scanner } = uploads.common
  return (
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
  )
}

/** What is ready to go, and what is on its way. */
function Sending({ uploads }: { uploads: Uploads }) {
  const { queue, active } = uploads
  const ready = queue.filter((e) => e.state === 'ready')
  const { left, rate } = pace(active)
  if (ready.length + active.length === 0) return null
  return (
    <div className="bar">
      {ready.length > 0 && (
        <Button type="primary" onClick={() => uploads.startAll()}>
          {words.uploadFiles(ready.length)}
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
  )
}
