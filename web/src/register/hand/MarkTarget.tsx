import { Button, Segmented, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { useChange, useJob, useKey } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Head, Ledger } from '../../parts'
import { Panorama } from './Panorama'
import type { ScanName } from './Picking'
import { register as words } from '../../words'

type Detection = Schema['DetectionDto']
const KINDS: { value: Schema['MarkWord']; label: string }[] = [
  { value: 'sphere', label: words.sphere },
  { value: 'checkerboard', label: words.checkerboard },
  { value: 'corner', label: words.corner },
  { value: 'point', label: words.pointMark },
]
/** A detection is kept by shorter words. */
const NAMES: Record<string, string> = {
  sphere: words.sphere,
  checker: words.checkerboard,
  corner: words.corner,
  point: words.pointMark,
}

/** Targets that the search did not find are pointed at in the panorama; they are measured there like any other. */
export function MarkTarget(p: { scans: ScanName[]; detections: Detection[]; first: string; onClose: () => void }) {
  const u = useUnits()
  const job = useJob()
  const [scan, setScan] = useState(p.first)
  const [kind, setKind] = useState<Schema['MarkWord']>('sphere')
  const [last, setLast] = useState<string | null>(null)
  const mark = useChange(
    async (direction: [number, number, number]) =>
      unwrap(
        await api.POST('/api/jobs/{job}/scans/{scan}/targets', {
          params: { path: { job: job.id, scan } },
          body: { direction, kind },
        }),
      ),
    (id) => setLast(id),
  )
  const remove = useChange(async (detection: string) => {
    unwrap(await api.DELETE('/api/jobs/{job}/detections/{detection}', { params: { path: { job: job.id, detection } } }))
  })
  useKey('escape', p.onClose)
  const here = p.detections.filter((d) => d.scan === scan)
  const sigma = (d: Detection) =>
    Math.sqrt((d.data.covariance[0] ?? 0) + (d.data.covariance[4] ?? 0) + (d.data.covariance[8] ?? 0))
  const name = p.scans.find((s) => s.id === scan)?.name ?? ''
  return (
    <div className="split hand">
      <div className="canvas panoramas one">
        <Panorama
          key={scan}
          url={`/api/jobs/${job.id}/scans/${scan}/panorama`}
          name={name}
          says={words.clickATargetThat}
          marks={here.map((d, k) => ({ at: d.data.centre, label: `${k + 1}`, wrong: !d.usable || d.id === last }))}
          onPoint={(d) => mark.mutate(d)}
        />
      </div>
      <aside className="side" aria-label={words.markATarget}>
        <Head
          aside={
            <Button size="small" onClick={p.onClose}>
              {words.backEsc}
            </Button>
          }
        >
          {words.markATarget}
        </Head>
        <div className="bar">
          <Select
            aria-label={words.scan}
            showSearch={{ optionFilterProp: 'label' }}
            value={scan}
            style={{ minWidth: 120 }}
            onChange={(id: string) => setScan(id)}
            options={p.scans.map((s) => ({ value: s.id, label: s.name }))}
          />
          <Segmented aria-label={words.kind} value={kind} onChange={setKind} options={KINDS} />
          {mark.isPending && <span className="faint">{words.measuringItInAll(name)}</span>}
        </div>
        <p className="faint">{kind === 'corner' || kind === 'point' ? words.markInTwo : words.turnThePictureAnd}</p>
        <Ledger
          label={words.targetsOf(name)}
          rows={here.map((d, k) => ({ ...d, k }))}
          id={(d) => d.id}
          selected={last}
          empty={words.noneInThisScan}
          columns={[
            { head: '', num: true, cell: (d) => d.k + 1 },
            { head: words.kind, cell: (d) => NAMES[d.kind] ?? d.kind },
            { head: <>{words.range(u.code)}</>, num: true, cell: (d) => u.len(d.data.range, 1) },
            { head: words.hits, num: true, cell: (d) => d.data.hits },
            { head: <>{words.centre1(u.small)}</>, num: true, cell: (d) => u.err(sigma(d)) },
            {
              head: '',
              cell: (d) =>
                d.by_hand && (
                  <button type="button" className="link" onClick={() => remove.mutate(d.id)}>
                    {words.byHandTakeAway}
                  </button>
                ),
            },
          ]}
        />
      </aside>
    </div>
  )
}
