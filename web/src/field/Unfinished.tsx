import { api, type Schema, unwrap } from '../api/client'
import { size } from '../lib/format'
import { useChange, useJob } from '../lib/hooks'
import { Confirm } from '../parts'
import { SmallTable } from '../parts/SmallTable'
import { field as words } from '../words'

/** Uploads that stopped half-way: the same file goes on where it stopped, or what arrived is given up. */
export function Unfinished({ receiving }: { receiving: Schema['Upload'][] }) {
  const job = useJob()
  const giveUp = useChange(async (id: string) =>
    unwrap(await api.DELETE('/api/jobs/{job}/uploads/{upload}', { params: { path: { job: job.id, upload: id } } })),
  )
  if (receiving.length === 0) return null
  return (
    <SmallTable
      name={words.unfinishedUploads}
      heads={[words.unfinished, { num: words.arrived }, { num: words.of }, '']}
      rows={receiving.map((r) => ({
        key: r.id,
        cells: [
          <span key="name">
            {r.file_name} <span className="faint">{words.dropTheSameFile}</span>
          </span>,
          size(r.received),
          size(r.bytes),
          <Confirm key="cancel" title={words.whatArrivedOfIs(r.file_name)} onConfirm={() => giveUp.mutate(r.id)}>
            {words.cancel}
          </Confirm>,
        ],
      }))}
    />
  )
}
