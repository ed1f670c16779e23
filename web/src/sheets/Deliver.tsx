import { Button } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import { CloudOptions } from '../deliver/CloudOptions'
import { Package } from '../deliver/Package'
import { when } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { Head, Ledger, States } from '../parts'
import { Tasks } from '../shell/Tasks'

const NONE: never[] = []
const WHOLE: Schema['PackageOptions'] = {
  per_scan: false,
  clip_min: [null, null, null],
  clip_max: [null, null, null],
  thin: null,
}

/** The packages, and the log of decisions behind them. */
export default function Deliver() {
  const job = useJob()
  const client = job.role === 'client'
  const packages = useRead('/api/jobs/{job}/packages')
  const tasks = useRead('/api/jobs/{job}/tasks', !client)
  const log = useRead('/api/jobs/{job}/log', !client)
  const busy = tasks.data?.some((t) => t.kind === 'package' && (t.state === 'running' || t.state === 'queued'))
  const [options, setOptions] = useState(WHOLE)
  const make = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/packages', { params: { path: { job: job.id } }, body: options })),
  )
  const newest = packages.data?.[0]
  const earlier = packages.data?.slice(1) ?? []
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
      {canEdit(job) && <CloudOptions options={options} onChange={setOptions} />}
      {!client && <Tasks kinds={['package']} ended={1} />}
      <States of={packages} what="The packages">
        {!newest && (
          <p className="empty">
            {client
              ? 'Nothing has been signed for you yet.'
              : 'No package yet. It can be made once the block is on the grid.'}
          </p>
        )}
        {newest && <Package of={newest} />}
        {client && newest && (
          <div className="look">
            <CloudView targets={NONE} ties={NONE} selected={null} />
          </div>
        )}
        {earlier.length > 0 && (
          <>
            <Head>Earlier packages</Head>
            <Ledger
              label="Earlier packages"
              rows={earlier}
              id={(p) => p.id}
              empty=""
              columns={[
                { head: 'Package', cell: (p) => p.revision },
                { head: 'Made', cell: (p) => when(p.created_at) },
                { head: 'Prepared', cell: (p) => p.prepared_by ?? '–' },
                { head: 'Checked', cell: (p) => p.checked_by ?? '–' },
                {
                  head: '',
                  cell: (p) => <a href={`/api/jobs/${job.id}/packages/${p.id}/download`}>download</a>,
                },
              ]}
            />
          </>
        )}
      </States>
      {!client && (
        <States of={log} what="The log">
          <Head aside="newest first">Decisions and changes</Head>
          <Ledger
            label="Log"
            rows={log.data ?? []}
            id={(l) => String(l.id)}
            empty="Nothing yet."
            columns={[
              { head: 'When', cell: (l) => when(l.at), width: 160 },
              { head: 'Who', cell: (l) => l.who ?? '–', width: 150 },
              { head: 'What', cell: (l) => l.what, width: 620 },
            ]}
          />
        </States>
      )}
    </div>
  )
}
