import { Button } from 'antd'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Grade, Head } from '../parts'
import { SmallTable } from '../parts/SmallTable'
import { days as words } from '../words'
import { clock } from './time'
import type { UseDays } from './useDays'

/** What can be done about what does not fit, and what each does to cover, error and requirement. */
export function Options({ of }: { of: UseDays }) {
  const u = useUnits()
  const found = of.options.data
  if (!found)
    return (
      <Button type="primary" loading={of.options.isPending} onClick={() => of.options.mutate(undefined)}>
        {words.whatCanBeDone}
      </Button>
    )
  const rows = [
    { ...found.whole, name: words.wholePlan },
    ...found.options.map((o) => ({ ...o, name: words.option[o.what] })),
  ]
  const grade = (met: boolean | null | undefined) => (met ? 'met' : 'not met')
  return (
    <>
      <Head>{words.whatCanBeDone}</Head>
      <SmallTable
        name={words.whatCanBeDone}
        heads={[
          words.choice,
          { num: words.lastOut },
          { num: words.covered },
          { num: words.worst95(u.small) },
          words.requirement,
        ]}
        rows={rows.map((o) => ({
          key: o.name,
          said: o.said,
          cells: [
            <b key="name">{o.name}</b>,
            clock(o.ends),
            o.cover == null ? '–' : `${num(100 * o.cover, 1)} %`,
            `${u.err(o.error)} ${o.weakest ?? ''}`,
            o.met == null ? '–' : <Grade key="met" value={grade(o.met)} />,
          ],
        }))}
      />
    </>
  )
}
