import { Button } from 'antd'
import { api, type Schema, unwrap } from '../api/client'
import { count } from '../lib/count'
import { num, size, when } from '../lib/format'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { Head, Ledger } from '../parts'
import { deliver as words } from '../words'

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
  const has = (name: string) => !!m.files?.some((f) => f.name === name)
  const look = (path: string, says: string) => (
    <>
      {' '}
      ·{' '}
      <a href={`/api/jobs/${job.id}/packages/${made.id}/${path}`} target="_blank" rel="noreferrer">
        {says}
      </a>
    </>
  )
  return (
    <>
      <Head aside={made.stale ? <b className="warn">{words.theJobChangedSince}</b> : size(made.bytes)}>
        {words.package(made.revision)}
      </Head>
      <p>
        {words.points(count(m.points))}
        {m.reference} · {m.units} ·{' '}
        <a href={`/api/jobs/${job.id}/packages/${made.id}/download`} download>
          {words.downloadPackage}
        </a>
        {has('report-short.pdf') && look('files/report-short.pdf', words.readShort)}
        {has('report.pdf') && look('files/report.pdf', words.readReport)}
        {has('walk-through/') && look('walk-through/index.html', words.openWalk)}
      </p>
      <Ledger
        label={words.files}
        rows={m.files ?? []}
        id={(f) => f.name}
        empty=""
        columns={[
          { head: words.file, cell: (f) => f.name },
          {
            head: words.pointsText,
            num: true,
            cell: (f) => (f.points == null ? '' : count(f.points)),
            value: (f) => f.points,
          },
          { head: words.mb, num: true, cell: (f) => num(f.bytes / 1e6, 2) },
          { head: words.sha256, cell: (f) => <code className="sum">{f.sha256}</code>, value: (f) => f.sha256 },
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
      button || <span className="faint">{words.notSigned}</span>
    )
  return (
    <div className="sigs">
      <div>
        {place(
          made.prepared_by,
          made.prepared_at,
          canEdit(job) && (
            <Button disabled={made.stale} onClick={() => sign.mutate('prepared')}>
              {words.signAsPreparer}
            </Button>
          ),
        )}
        <br />
        <small className="faint">{words.prepared}</small>
      </div>
      <div>
        {place(
          made.checked_by,
          made.checked_at,
          mayCheck && (
            <Button disabled={made.stale || !made.prepared_by} onClick={() => sign.mutate('checked')}>
              {words.signAsChecker}
            </Button>
          ),
        )}
        <br />
        <small className="faint">{words.checkedByAnotherPerson}</small>
      </div>
    </div>
  )
}
