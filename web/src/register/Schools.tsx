import { chance } from '../lib/format'
import { useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Ledger, States, VerdictCard } from '../parts'

const NAMES = { targets: 'targets', clouds: 'clouds', both: 'targets and clouds' } as const
const HEADS = { targets: 'targets alone', clouds: 'clouds alone', both: 'targets and clouds' } as const

/** What to register this site by: what targets, clouds and both give, side by side, and which to take. */
export function Schools() {
  const u = useUnits()
  const read = useRead('/api/jobs/{job}/adjustment/schools')
  const s = read.data
  return (
    <States of={[read]} what="The comparison">
      {s && (
        <>
          <VerdictCard tone="sound" title={`For this site: ${NAMES[s.take]}`} evidence={s.why} />
          <Ledger
            label="Ways to register"
            rows={s.outcomes}
            id={(o) => o.by}
            empty="Nothing to compare."
            columns={[
              { head: 'By', cell: (o) => HEADS[o.by] },
              { head: 'scans placed', num: true, cell: (o) => `${o.placed} of ${s.scans}`, value: (o) => o.placed },
              {
                head: <>weakest station, 3-D 95 % [{u.small}]</>,
                num: true,
                cell: (o) => (o.worst ? u.err(o.worst.spatial) : '–'),
                value: (o) => o.worst?.spatial,
              },
              { head: '', cell: (o) => o.worst?.station ?? '' },
              { head: 'to decide', num: true, cell: (o) => o.to_decide },
              { head: 'p', num: true, cell: (o) => chance(o.p), value: (o) => o.p },
            ]}
          />
        </>
      )}
    </States>
  )
}
