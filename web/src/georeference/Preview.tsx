import { Button } from 'antd'
import type { Schema } from '../api/client'
import { useUnits } from '../lib/units'
import { Ledger } from '../parts'
import { georeference as words } from '../words'

/** What was understood of a control file, before it is stored. */
export function Preview({
  preview,
  storing,
  onStore,
}: {
  preview: Schema['ControlPreview']
  storing: boolean
  onStore: () => void
}) {
  const u = useUnits()
  return (
    <>
      <p>
        {words.pointsSeparatedByColumns(
          preview.points.length,
          preview.separator,
          preview.order === 'ENH' ? words.eastingNorthingHeight : words.northingEastingHeight,
          preview.order_from_heading ? words.saidByTheHeading : '',
        )}
        {preview.remarks.map((r) => (
          <span key={r} className="warn">
            {r}.{' '}
          </span>
        ))}
      </p>
      <Ledger
        label={words.preview}
        rows={preview.points}
        id={(p) => p.name}
        empty=""
        columns={[
          { head: words.line, num: true, cell: (p) => p.line },
          { head: words.point, cell: (p) => p.name },
          { head: `E [${u.code}]`, num: true, cell: (p) => u.len(p.e, 4) },
          { head: `N [${u.code}]`, num: true, cell: (p) => u.len(p.n, 4) },
          { head: `H [${u.code}]`, num: true, cell: (p) => u.len(p.h, 4) },
          { head: `σ E N H [${u.small}]`, num: true, cell: (p) => p.sigma.map((v) => u.err(v)).join(' ') },
        ]}
      />
      <div className="bar">
        <Button type="primary" loading={storing} onClick={onStore}>
          {words.storeThesePoints(preview.points.length)}
        </Button>
      </div>
    </>
  )
}
