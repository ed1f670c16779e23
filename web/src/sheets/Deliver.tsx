import { Button, Checkbox } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Head, Ledger } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'

interface Manifest {
  units?: string
  reference?: string
  points?: number
  files?: { name: string; bytes: number; sha256: string }[]
}

const NONE: never[] = []

/** The package, its sums, its two signatures. */
export default function Deliver() {
  const job = useJob()
  const packages = useRead<Schema['PackageDto'][]>('/api/jobs/{job}/packages')
  const tasks = useRead<Schema['Task'][]>('/api/jobs/{job}/tasks', job.role !== 'client')
  const busy = tasks.data?.some((t) => t.kind === 'package' && (t.state === 'running' || t.state === 'queued'))
  const [options, setOptions] = useState<Schema['PackageOptions']>({
    per_scan: false,
    clip_min: [null, null, null],
    clip_max: [null, null, null],
    thin: null,
  })
  const make = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/packages', { params: { path: { job: job.id } }, body: options })),
  )
  const sign = useChange(async (s: { id: string; place: string }) =>
    unwrap(
      await api.POST('/api/jobs/{job}/packages/{package}/sign', {
        params: { path: { job: job.id, package: s.id } },
        body: { place: s.place },
      }),
    ),
  )
  const log = useRead<Schema['LogEntry'][]>('/api/jobs/{job}/log', job.role !== 'client')
  const newest = packages.data?.[0]
  const mayCheck = job.role === 'reviewer' || job.role === 'owner'
  const m = newest?.manifest as Manifest | undefined
  const when = (t: string | null | undefined) => (t ? `${t.slice(0, 16).replace('T', ' ')} UTC` : '')
  return (
    <div className="page">
      <Head
        aside={
          canEdit(job) && (
            <Button type="primary" loading={busy || make.isPending} onClick={() => make.mutate(undefined)}>
              Make package
            </Button>
          )
        }
      >
        Deliver
      </Head>
      <p className="faint">
        A package holds the cloud in grid coordinates (LAZ), all scans with their poses (E57), coordinates and
        transforms (CSV), the report (PDF), and a manifest with the SHA-256 of each.
      </p>
      {canEdit(job) && <Clouds options={options} onChange={setOptions} />}
      {job.role !== 'client' && <Tasks kinds={['package']} ended={1} />}
      {!newest && (
        <p className="empty">
          {job.role === 'client'
            ? 'Nothing has been signed for you yet.'
            : 'No package yet. It can be made once the block is on the grid.'}
        </p>
      )}
      {newest && (
        <>
          <Head
            aside={
              newest.stale ? (
                <b className="warn">the job changed since: make a new one</b>
              ) : (
                `${(newest.bytes / 1e6).toFixed(0)} MB`
              )
            }
          >
            Package {newest.revision}
          </Head>
          <p>
            {m?.points?.toLocaleString('en').replaceAll(',', ' ')} points · {m?.reference} · {m?.units} ·{' '}
            <a href={`/api/jobs/${job.id}/packages/${newest.id}/download`} download>
              Download package
            </a>
          </p>
          <Ledger
            label="Files"
            rows={m?.files ?? []}
            id={(f) => f.name}
            empty=""
            columns={[
              { head: 'File', cell: (f) => f.name },
              { head: 'MB', num: true, cell: (f) => (f.bytes / 1e6).toFixed(2) },
              { head: 'SHA-256', cell: (f) => <code style={{ fontSize: 11.5 }}>{f.sha256}</code> },
            ]}
          />
          <div className="sigs">
            <div>
              {newest.prepared_by ? (
                <>
                  <b>{newest.prepared_by}</b> {when(newest.prepared_at)}
                </>
              ) : canEdit(job) ? (
                <Button disabled={newest.stale} onClick={() => sign.mutate({ id: newest.id, place: 'prepared' })}>
                  Sign as preparer
                </Button>
              ) : (
                <span className="faint">not signed</span>
              )}
              <br />
              <small className="faint">prepared</small>
            </div>
            <div>
              {newest.checked_by ? (
                <>
                  <b>{newest.checked_by}</b> {when(newest.checked_at)}
                </>
              ) : mayCheck ? (
                <Button
                  disabled={newest.stale || !newest.prepared_by}
                  onClick={() => sign.mutate({ id: newest.id, place: 'checked' })}
                >
                  Sign as checker
                </Button>
              ) : (
                <span className="faint">not signed</span>
              )}
              <br />
              <small className="faint">checked, by another person</small>
            </div>
          </div>
        </>
      )}
      {job.role === 'client' && newest && (
        <div className="look">
          <CloudView targets={NONE} ties={NONE} selected={null} />
        </div>
      )}
      {(packages.data?.length ?? 0) > 1 && (
        <>
          <Head>Earlier packages</Head>
          <Ledger
            label="Earlier packages"
            rows={packages.data?.slice(1) ?? []}
            id={(p) => p.id}
            empty=""
            columns={[
              { head: 'Package', cell: (p) => p.revision },
              { head: 'Made', cell: (p) => when(p.created_at) },
              { head: 'Prepared', cell: (p) => p.prepared_by ?? '–' },
              { head: 'Checked', cell: (p) => p.checked_by ?? '–' },
              { head: '', cell: (p) => <a href={`/api/jobs/${job.id}/packages/${p.id}/download`}>download</a> },
            ]}
          />
        </>
      )}
      {log.data && (
        <>
          <Head aside="newest first">Decisions and changes</Head>
          <Ledger
            label="Log"
            rows={log.data}
            id={(l) => String(l.id)}
            empty=""
            columns={[
              { head: 'When', cell: (l) => when(l.at), width: 160 },
              { head: 'Who', cell: (l) => l.who ?? '–', width: 150 },
              { head: 'What', cell: (l) => l.what },
            ]}
          />
        </>
      )}
    </div>
  )
}

/** How the clouds are written: one file or one a scan, a box, thinned. */
function Clouds({
  options,
  onChange,
}: {
  options: Schema['PackageOptions']
  onChange: (o: Schema['PackageOptions']) => void
}) {
  const u = useUnits()
  const [box, setBox] = useState(false)
  const side = (key: 'clip_min' | 'clip_max', label: string) => (
    <div className="bar">
      <span className="faint" style={{ width: 56 }}>
        {label}
      </span>
      {['E', 'N', 'H'].map((axis, k) => (
        <div key={axis} style={{ width: 170 }}>
          <LengthInput
            label={`${label} ${axis}`}
            value={options[key]?.[k]}
            onChange={(m) =>
              onChange({ ...options, [key]: [0, 1, 2].map((i) => (i === k ? m : (options[key]?.[i] ?? null))) })
            }
          />
        </div>
      ))}
    </div>
  )
  return (
    <>
      <div className="bar">
        <Checkbox checked={!!options.per_scan} onChange={(e) => onChange({ ...options, per_scan: e.target.checked })}>
          a LAZ file for each scan
        </Checkbox>
        <span className="faint">thin to one point in</span>
        <div style={{ width: 120 }}>
          <LengthInput small label="Thin" value={options.thin} onChange={(thin) => onChange({ ...options, thin })} />
        </div>
        <Checkbox
          checked={box}
          onChange={(e) => {
            setBox(e.target.checked)
            if (!e.target.checked) onChange({ ...options, clip_min: [null, null, null], clip_max: [null, null, null] })
          }}
        >
          clip to a box on the grid [{u.code}]
        </Checkbox>
      </div>
      {box && (
        <>
          {side('clip_min', 'Lowest')}
          {side('clip_max', 'Highest')}
        </>
      )}
    </>
  )
}
