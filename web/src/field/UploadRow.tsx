import { Select } from 'antd'
import { size } from '../lib/format'
import type { Item } from '../lib/hooks'
import { UNIT_NAMES } from '../lib/units'
import { TextColumns } from './TextColumns'
import type { Entry, Uploads } from './uploads'
import { field as words } from '../words'

const isText = (f: File) => /\.(xyz|txt|pts|asc|csv)$/i.test(f.name)
/** E57 says its unit and axes itself. */
const asks = (f: File) => !/\.e57$/i.test(f.name)

/** A file of the queue: what it is, what it was taken from, how far it is. */
export function UploadRow({ entry: e, uploads, stations }: { entry: Entry; uploads: Uploads; stations: Item[] }) {
  const set = (part: Partial<Entry>) => uploads.set(e.key, part)
  const ready = e.state === 'ready'
  return (
    <tr className={e.state === 'failed' ? 'bad' : ''} data-state={e.state}>
      <td>{e.file.name}</td>
      <td className="num">{size(e.file.size)}</td>
      <td>
        {ready ? (
          <Select
            size="small"
            aria-label={words.stationOf(e.file.name)}
            style={{ width: 120 }}
            value={e.station ?? ''}
            onChange={(v) => set({ station: v || null })}
            options={[{ value: '', label: words.none }, ...stations.map((s) => ({ value: s.id, label: s.data.name }))]}
          />
        ) : (
          (stations.find((s) => s.id === e.station)?.data.name ?? '–')
        )}
      </td>
      <td>
        {!asks(e.file) && <span className="faint">{words.saidByTheFile}</span>}
        {asks(e.file) && !ready && words.up(e.unit, e.up)}
        {asks(e.file) && ready && <Asked entry={e} set={set} />}
      </td>
      <td>
        <State of={e} />
      </td>
      <td>
        {e.state === 'failed' && (
          <button type="button" className="link" onClick={() => uploads.again(e.key)}>
            {words.again}
          </button>
        )}
        {e.state !== 'done' && (
          <button
            type="button"
            className="link"
            aria-label={words.removeName(e.file.name)}
            onClick={() => uploads.remove(e.key)}
          >
            {words.removePlain}
          </button>
        )}
      </td>
    </tr>
  )
}

/** What a file does not say itself. */
function Asked({ entry: e, set }: { entry: Entry; set: (part: Partial<Entry>) => void }) {
  return (
    <span className="bar" style={{ margin: 0 }}>
      <Select
        size="small"
        aria-label={words.unitOf(e.file.name)}
        style={{ width: 84 }}
        value={e.unit}
        onChange={(unit) => set({ unit })}
        options={Object.keys(UNIT_NAMES).map((value) => ({ value }))}
      />
      <Select
        size="small"
        aria-label={words.upAxisOf(e.file.name)}
        style={{ width: 76 }}
        value={e.up}
        onChange={(up) => set({ up })}
        options={[
          { value: 'z', label: words.zUp },
          { value: 'y', label: words.yUp },
        ]}
      />
      {isText(e.file) && <TextColumns file={e.file} columns={e.columns} onChange={(columns) => set({ columns })} />}
    </span>
  )
}

function State({ of: e }: { of: Entry }) {
  if (e.state === 'sending')
    return <progress value={e.sent} max={e.file.size} aria-label={words.sent(e.file.name)} style={{ width: '100%' }} />
  if (e.state === 'failed') return e.reason
  return e.state === 'done' ? words.sentReadingItNow : e.state
}
