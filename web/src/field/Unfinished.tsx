import { api, type Schema, unwrap } from '../api/client'
import { size } from '../lib/format'
import { useChange, useJob } from '../lib/hooks'
import { Confirm } from '../parts'
import { field as words } from '../words'

/** Uploads that stopped half-way: the same file goes on where it stopped, or what arrived is given up. */
export function Unfinished({ receiving }: { receiving: Schema['Upload'][] }) {
  const job = useJob()
  const giveUp = useChange(async (id: string) =>
    unwrap(await api.DELETE('/api/jobs/{job}/uploads/{upload}', { params: { path: { job: job.id, upload: id } } })),
  )
  if (receiving.length === 0) return null
  return (
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
  )
}
