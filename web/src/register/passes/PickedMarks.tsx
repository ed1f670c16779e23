import { Button } from 'antd'
import { api, type Schema, unwrap } from '../../api/client'
import type { Picked } from '../../cloud/scans'
import { useAsk, useJob } from '../../lib/hooks'
import { VerdictCard } from '../../parts'
import { register as words } from '../../words'
import { usePasses } from './usePasses'

type Ordered = Schema['MarkOrderDto']

/** Control points that were picked in the cloud of a pass, one after the other: named in the order of the control list, by how
 * far they lie apart, and kept as its marks. */
export function PickedMarks({ picked }: { picked: Picked[] }) {
  const job = useJob()
  const of = usePasses()
  const pass = of.read.data?.passes.find((p) => p.id === picked[0]?.scan)
  const own = picked.filter((p) => p.scan === pass?.id)
  const order = useAsk(async () => {
    const path = { job: job.id, pass: pass?.id ?? '' }
    const marks = own.map((p) => ({ picked: p.local }))
    return unwrap(await api.POST('/api/jobs/{job}/passes/{pass}/order', { params: { path }, body: { marks } }))
  })
  if (!pass) return null
  const found = order.data?.marks.length === own.length ? order.data : undefined
  return (
    <div className="picked-marks">
      <div className="bar">
        <Button
          size="small"
          type="primary"
          disabled={own.length < 2}
          loading={order.isPending}
          onClick={() => order.mutate(undefined)}
        >
          {words.namePicked(own.length)}
        </Button>
        <span className="faint">
          {own.length < 2 ? words.pickMore(pass.name) : words.pickInOrder(pass.name)}
          {own.length < picked.length && ` ${words.othersAreNot(picked.length - own.length)}`}
        </span>
      </div>
      {order.error && <p className="warn">{order.error.message}</p>}
      {found && <Named of={found} />}
      {found?.marks.every((m) => m.point) && (
        <Button
          size="small"
          loading={of.change.isPending}
          onClick={() => of.change.mutate({ pass, marks: [...pass.marks, ...found.marks] })}
        >
          {words.keepPicked(pass.name)}
        </Button>
      )}
    </div>
  )
}

/** What each of them is, and what distances say of that. */
const Named = ({ of }: { of: Ordered }) => (
  <VerdictCard
    tone={of.agrees ? 'sound' : 'doubtful'}
    title={of.agrees ? words.orderAgrees : words.orderDoesNotAgree}
    evidence={[of.marks.map((m, k) => `${k + 1} ${m.point || '?'}`).join(' · '), ...of.says]}
  />
)
