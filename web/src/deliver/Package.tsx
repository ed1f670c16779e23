import { Button } from 'antd'
import { api, type Schema, unwrap } from '../api/client'
import { count, num, size, when } from '../lib/format'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { Head, Ledger } from '../parts'

interface Manifest {
  units?: string
  reference?: string
  points?: number
  files?: { name: string; bytes: number; sha256: string; points?: number }[]
}
type PackageDto = Schema['PackageDto']

/** A package: what is in it, its sums, its two signatures. */
export function Package({ of: made }: { of: PackageDto }) {
  const job = useJob()
  const m = made.manifest as Manifest
  return (
    <>
      <Head aside={made.stale ? <b className="warn">the job changed since: make a new one</b> : size(made.bytes)}>
        Package {made.revision}
      </Head>
      <p>
        {count(m.points)} points · {m.reference} · {m.units} ·{' '}
        <a href={`/api/jobs/${job.id}/packages/${made.id}/download`} download>
          Download package
        </a>
      </p>
      <Ledger
        label="Files"
        rows={m.files ?? []}
        id={(f) => f.name}
        empty=""
        columns={[
          { head: 'File', cell: (f) => f.name },
          { head: 'Points', num: true, cell: (f) => (f.points == null ? '' : count(f.points)), value: (f) => f.points },
          { head: 'MB', num: true, cell: (f) => num(f.bytes / 1e6, 2) },
          { head: 'SHA-256', cell: (f) => <code className="sum">{f.sha256}</code>, value: (f) => f.sha256 },
        ]}
      />
      <Signatures of={made} />
    </>
  )
}

function Signatures({ of: made }: { of: PackageDto }) {
  const job = useJob()
  const sign = useChange(async (place: string) =>
    unwrap(
      await api.POST('/api/jobs/{job}/packages/{package}/sign', {
        params: { path: { job: job.id, package: made.id } },
        body: { place },
      }),
    ),
  )
  const mayCheck = job.role === 'reviewer' || job.role === 'owner'
  const place = (name: string | null | undefined, at: string | null | undefined, button: React.ReactNode) =>
    name ? (
      <>
        <b>{name}</b> {when(at)}
      </>
    ) : (
      button || <span className="faint">not signed</span>
    )
  return (
    <div className="sigs">
      <div>
        {place(
          made.prepared_by,
          made.prepared_at,
          canEdit(job) && (
            <Button disabled={made.stale} onClick={() => sign.mutate('prepared')}>
              Sign as preparer
            </Button>
          ),
        )}
        <br />
        <small className="faint">prepared</small>
      </div>
      <div>
        {place(
          made.checked_by,
          made.checked_at,
          mayCheck && (
            <Button disabled={made.stale || !made.prepared_by} onClick={() => sign.mutate('checked')}>
              Sign as checker
            </Button>
          ),
        )}
        <br />
        <small className="faint">checked, by another person</small>
      </div>
    </div>
  )
}
