import { Checkbox } from 'antd'
import type { Schema } from '../api/client'
import { Link } from 'react-router-dom'
import { size, span } from '../lib/format'
import { useJob, useRead } from '../lib/hooks'
import { Head, Ledger, States } from '../parts'
import { deliver as words } from '../words'

type Row = Schema['DeliverableDto']
type Options = Schema['PackageOptions']

/** Somebody draws it before; the rest is written when the package is made. */
const DRAWN: Row['what'][] = ['floor_plans', 'elevations', 'ground', 'features', 'solids']
const isWritten = (r: Row) => !DRAWN.includes(r.what)
const USUAL: Row['what'][] = ['laz', 'e57']
/** Where on *Draw* it is made. */
const VIEWS: Partial<Record<Row['what'], string>> = {
  floor_plans: 'plans',
  elevations: 'elevations',
  ground: 'ground',
  features: 'features',
  solids: 'solids',
}

/** The formats that would be written: those chosen, else those of the brief, else the usual two. */
export function chosen(rows: Row[], options: Options): Row['what'][] {
  if (options.formats?.length) return options.formats
  const asked = rows.filter((r) => r.asked && isWritten(r)).map((r) => r.what)
  return asked.length > 0 ? asked : USUAL
}

/** What the package will hold, what the brief asks for, and how large it gets. */
export function Contents({
  options,
  edit,
  onChange,
}: {
  options: Options
  edit: boolean
  onChange: (o: Options) => void
}) {
  const job = useJob()
  const rows = useRead('/api/jobs/{job}/deliverables')
  const all = rows.data ?? []
  const formats = chosen(all, options)
  const isIn = (r: Row) => (isWritten(r) ? formats.includes(r.what) : r.drawn != null)
  const missing = all.filter((r) => r.asked && !isIn(r))
  const written = all.filter((r) => isWritten(r) && isIn(r))
  const sum = (of: 'bytes' | 'seconds') => written.reduce((s, r) => s + (r[of] ?? 0), 0)
  const less = options.thin != null || options.clip_min?.some((v) => v != null) || options.leave_out
  const toggle = (what: Row['what'], on: boolean) => {
    const next = on ? [...formats, what] : formats.filter((f) => f !== what)
    if (next.length > 0) onChange({ ...options, formats: next })
  }
  return (
    <States of={rows} what={words.whatAPackageMayHold}>
      <Head aside={words.aboutSoMuch(!!less, size(sum('bytes')), span(sum('seconds')))}>
        {words.whatThePackageHolds}
      </Head>
      {missing.length > 0 && (
        <p className="warn" role="status">
          {words.askedAndNotThere(missing.map((r) => words.deliverable[r.what]).join(', '))}
        </p>
      )}
      <Ledger
        label={words.whatThePackageHolds}
        rows={all}
        id={(r) => r.what}
        empty=""
        columns={[
          {
            head: words.inIt,
            width: 70,
            cell: (r) => (
              <Checkbox
                aria-label={words.deliverable[r.what]}
                checked={isIn(r)}
                disabled={!edit || !isWritten(r)}
                onChange={(e) => toggle(r.what, e.target.checked)}
              />
            ),
            value: (r) => (isIn(r) ? 1 : 0),
          },
          { head: words.what, cell: (r) => words.deliverable[r.what], width: 240 },
          { head: words.theBrief, cell: (r) => (r.asked ? <b>{words.asksForIt}</b> : ''), width: 110 },
          { head: words.stateText, cell: (r) => <Standing of={r} job={job.id} />, width: 260 },
          { head: words.about, num: true, cell: (r) => (r.bytes == null ? '' : size(r.bytes)), value: (r) => r.bytes },
          {
            head: words.writingIt,
            num: true,
            cell: (r) => (r.seconds == null ? '' : span(r.seconds)),
            value: (r) => r.seconds,
          },
        ]}
      />
      <p className="faint">{words.alwaysInIt}</p>
    </States>
  )
}

/** Whether it can go in as it is. */
function Standing({ of: r, job }: { of: Row; job: string }) {
  if (isWritten(r)) return <span className="faint">{words.writtenWithThePackage}</span>
  const link = <Link to={`/jobs/${job}/draw?drawn=${VIEWS[r.what] ?? 'plans'}`}>{words.toDraw}</Link>
  if (r.drawn == null)
    return (
      <>
        {words.notDrawn} {link}
      </>
    )
  return r.drawn ? (
    <>{words.drawnFromTheClouds}</>
  ) : (
    <span className="warn">
      {words.drawnBefore} {link}
    </span>
  )
}
