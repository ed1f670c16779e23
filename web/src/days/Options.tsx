import { Button } from 'antd'
import { Fragment } from 'react'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Grade, Head } from '../parts'
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
      <table className="ledger" aria-label={words.whatCanBeDone}>
        <thead>
          <tr>
            <th scope="col">{words.choice}</th>
            <th scope="col" className="num">
              {words.lastOut}
            </th>
            <th scope="col" className="num">
              {words.covered}
            </th>
            <th scope="col" className="num">
              {words.worst95(u.small)}
            </th>
            <th scope="col">{words.requirement}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((o) => (
            <Fragment key={o.name}>
              <tr className="above">
                <td>
                  <b>{o.name}</b>
                </td>
                <td className="num">{clock(o.ends)}</td>
                <td className="num">{o.cover == null ? '–' : `${num(100 * o.cover, 1)} %`}</td>
                <td className="num">
                  {u.err(o.error)} {o.weakest}
                </td>
                <td>{o.met == null ? '–' : <Grade value={grade(o.met)} />}</td>
              </tr>
              <tr>
                <td colSpan={5} className="faint">
                  {o.said}
                </td>
              </tr>
            </Fragment>
          ))}
        </tbody>
      </table>
    </>
  )
}
