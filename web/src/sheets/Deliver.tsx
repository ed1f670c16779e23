import { Button } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import { CloudOptions } from '../deliver/CloudOptions'
import { Contents } from '../deliver/Contents'
import { Letterhead } from '../deliver/Letterhead'
import { Package } from '../deliver/Package'
import { when } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { Head, Ledger, States } from '../parts'
import { Tasks } from '../shell/Tasks'
import { deliver as words } from '../words'

const NONE: never[] = []
const WHOLE: Schema['PackageOptions'] = {
  formats: [],
  errors: true,
  per_scan: false,
  clip_min: [null, null, null],
  clip_max: [null, null, null],
  thin: null,
  leave_out: false,
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
              {words.makePackage}
            </Button>
          )
        }
      >
        {words.deliver}
      </Head>
      {!client && <Contents options={options} edit={canEdit(job)} onChange={setOptions} />}
      {canEdit(job) && <CloudOptions options={options} onChange={setOptions} />}
      {canEdit(job) && <Letterhead />}
      {!client && <Tasks kinds={['package']} ended={1} />}
      <States of={packages} what={words.thePackages}>
        {!newest && <p className="empty">{client ? words.nothingHasBeenSigned : words.noPackageYetIt}</p>}
        {newest && <Package of={newest} />}
        {client && newest && (
          <div className="look">
            <CloudView targets={NONE} ties={NONE} selected={null} />
          </div>
        )}
        {earlier.length > 0 && (
          <>
            <Head>{words.earlierPackages}</Head>
            <Ledger
              label={words.earlierPackages}
              rows={earlier}
              id={(p) => p.id}
              empty=""
              columns={[
                { head: words.packageText, cell: (p) => p.revision },
                { head: words.made, cell: (p) => when(p.created_at) },
                { head: words.preparedTitle, cell: (p) => p.prepared_by ?? '–' },
                { head: words.checked, cell: (p) => p.checked_by ?? '–' },
                {
                  head: '',
                  cell: (p) => <a href={`/api/jobs/${job.id}/packages/${p.id}/download`}>{words.download}</a>,
                },
              ]}
            />
          </>
        )}
      </States>
      {!client && (
        <States of={log} what={words.theLog}>
          <Head aside={words.newestFirst}>{words.decisionsAndChanges}</Head>
          <Ledger
            label={words.log}
            rows={log.data ?? []}
            id={(l) => String(l.id)}
            empty={words.nothingYet}
            columns={[
              { head: words.when, cell: (l) => when(l.at), width: 160 },
              { head: words.who, cell: (l) => l.who ?? '–', width: 150 },
              { head: words.what, cell: (l) => l.what, width: 620 },
            ]}
          />
        </States>
      )}
    </div>
  )
}
