import { chance } from '../lib/format'
import { useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Ledger, States, VerdictCard } from '../parts'
import { register as words } from '../words'

const NAMES = { targets: words.targetsPlain, clouds: words.clouds, both: words.targetsAndClouds } as const
const HEADS = { targets: words.targetsAlone, clouds: words.cloudsAlone, both: words.targetsAndClouds } as const

/** What to register this site by: what targets, clouds and both give, side by side, and which to take. */
export function Schools() {
  const u = useUnits()
  const read = useRead('/api/jobs/{job}/adjustment/schools')
  const s = read.data
  return (
    <States of={[read]} what={words.theComparison}>
      {s && (
        <>
          <VerdictCard tone="sound" title={words.forThisSite(NAMES[s.take])} evidence={s.why} />
          <Ledger
            label={words.waysToRegister}
            rows={s.outcomes}
            id={(o) => o.by}
            empty={words.nothingToCompare}
            columns={[
              { head: words.by, cell: (o) => HEADS[o.by] },
              { head: words.scansPlaced, num: true, cell: (o) => `${o.placed} of ${s.scans}`, value: (o) => o.placed },
              {
                head: <>{words.weakestStation3D95(u.small)}</>,
                num: true,
                cell: (o) => (o.worst ? u.err(o.worst.spatial) : '–'),
                value: (o) => o.worst?.spatial,
              },
              { head: '', cell: (o) => o.worst?.station ?? '' },
              { head: words.toDecideText, num: true, cell: (o) => o.to_decide },
              { head: 'p', num: true, cell: (o) => chance(o.p), value: (o) => o.p },
            ]}
          />
        </>
      )}
    </States>
  )
}
