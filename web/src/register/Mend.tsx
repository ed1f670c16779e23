import { Button } from 'antd'
import { api, unwrap } from '../api/client'
import { num } from '../lib/format'
import { useAsk, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import type { CloudTie } from './useTies'
import { register as words } from '../words'

/** Where one more scan would mend a weak tie, and the way to put it on the plan. */
export function Mend({ tie, open }: { tie: CloudTie; open: boolean }) {
  const u = useUnits()
  const job = useJob()
  const plan = useRead('/api/jobs/{job}/plan')
  const look = useAsk(async () =>
    unwrap(
      await api.GET('/api/jobs/{job}/cloud-ties/{tie}/one-more', {
        params: { path: { job: job.id, tie: tie.id } },
      }),
    ),
  )
  const m = look.data
  const name = `${tie.a}+${tie.b}`
  const put = useChange(async (at: number[]) => {
    const order =
      Math.max(0, ...(plan.data ?? []).filter((i) => i.kind === 'station').map((i) => i.data.order ?? 0)) + 1
    const data = { name, base: 0, top: 0, position: at, order } as unknown as Record<string, never>
    return unwrap(
      await api.POST('/api/jobs/{job}/plan/edits', {
        params: { path: { job: job.id } },
        body: [{ id: crypto.randomUUID(), kind: 'station', data, version: null, deleted: false }],
      }),
    )
  })
  if (!m)
    return (
      <Button size="small" loading={look.isPending} onClick={() => look.mutate(undefined)}>
        {words.whereWouldOneMore}
      </Button>
    )
  const [mine = 0, theirs = 0] = m.overlap
  return (
    <div className="mend">
      <p>
        {words.oneMoreScanFrom(
          u.len(m.distance[0], 1),
          u.code,
          tie.a,
          u.len(m.distance[1], 1),
          tie.b,
          num(100 * mine, 0),
          num(100 * theirs, 0),
          u.err(m.now95),
          u.err(m.then95),
          u.small,
        )}
      </p>
      {open &&
        (m.on_plan ? (
          <Button
            size="small"
            loading={put.isPending}
            disabled={put.isSuccess || !plan.data}
            onClick={() => put.mutate(m.on_plan!)}
          >
            {put.isSuccess ? words.isOnThePlan(name) : words.putItOnThe}
          </Button>
        ) : (
          <span className="faint">{words.thePlanDoesNot}</span>
        ))}
    </div>
  )
}
