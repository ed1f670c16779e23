import { useQuery } from '@tanstack/react-query'
import { Button } from 'antd'
import { api, type Schema, unwrap } from '../../api/client'
import { canEdit, useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { plan as words } from '../../words'
import type { Change, Item } from '../usePlan'

/** The single changes that help most, tried on the plan as it is. */
export function Advice({
  items,
  asked,
  onApply,
  free,
}: {
  items: Item[]
  /** Whether there is a target whose error could be helped. */
  asked: boolean
  onApply: (c: Change[]) => void
  free: (kind: string) => string
}) {
  const job = useJob()
  const u = useUnits()
  const advice = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/plan/advice', items.map((i) => i.version).join()],
    enabled: asked,
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/plan/advice', { params: { path: { job: job.id } } })),
  })
  const take = (a: Schema['AdviceDto']) => onApply([...added(a, free), ...controlled(a, items)])
  return (
    <>
      {advice.data && advice.data.length > 0 && (
        <>
          <Head aside={words.largest3DError}>{words.whatWouldHelpMost}</Head>
          <table className="ledger" aria-label={words.advice}>
            <tbody>
              {advice.data.map((a, k) => (
                <tr key={k}>
                  <td style={{ whiteSpace: 'normal' }}>{a.what}</td>
                  <td className="num">
                    {u.err(a.now)} → <b>{u.err(a.then)}</b> {u.small}
                  </td>
                  <td>
                    {canEdit(job) && (
                      <Button size="small" onClick={() => take(a)}>
                        {words.take}
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {advice.isFetching && <p className="faint">{words.tryingSingleChanges}</p>}
    </>
  )
}

function added(a: Schema['AdviceDto'], free: (kind: string) => string): Change[] {
  if (!a.add) return []
  const data = { name: free('target'), base: 0, top: 0, position: a.add, target: 'sphere' as const }
  return [{ id: crypto.randomUUID(), kind: 'target', data }]
}

function controlled(a: Schema['AdviceDto'], items: Item[]): Change[] {
  const item = items.find((i) => i.id === a.control)
  if (!item) return []
  const sigma = item.data.control_sigma ?? [0.002, 0.002]
  return [{ id: item.id, kind: item.kind, data: { ...item.data, control_sigma: sigma, check: false } }]
}
