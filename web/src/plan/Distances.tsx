import { Button, Select } from 'antd'
import type { Schema } from '../api/client'
import { LengthInput } from '../parts/LengthInput'
import { useUnits } from '../lib/units'
import type { Item } from './usePlan'
import { plan as words } from '../words'

type Data = Schema['PlanData']

/** Distances from a target to others: planned, and once measured in the adjustment. */
export function Distances({
  d,
  items,
  own,
  edit,
  put,
}: {
  d: Data
  items: Item[]
  own: string
  edit: boolean
  put: (p: Partial<Data>) => void
}) {
  const u = useUnits()
  const list = d.distances ?? []
  const targets = items.filter((i) => i.kind === 'target' && i.id !== own)
  const change = (k: number, part: Partial<Schema['DistanceDto']>) =>
    put({ distances: list.map((x, i) => (i === k ? { ...x, ...part } : x)) })
  const between = (to: string) => {
    const p = items.find((i) => i.id === to)?.data.position
    const q = d.position
    return p && q ? Math.hypot(p[0]! - q[0]!, p[1]! - q[1]!, p[2]! - q[2]!) : null
  }
  return (
    <div>
      {list.length > 0 && (
        <table className="ledger" aria-label={words.distances}>
          <thead>
            <tr>
              <th>{words.distanceTo}</th>
              <th className="num">{words.onThePlan(u.code)}</th>
              <th>σ</th>
              <th>{words.measuredEmptyPlanned}</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {list.map((x, k) => (
              <tr key={k}>
                <td>
                  <Select
                    aria-label={words.targetOfDistance(k + 1)}
                    size="small"
                    style={{ width: 110 }}
                    value={x.to}
                    disabled={!edit}
                    onChange={(to) => change(k, { to })}
                    options={targets.map((t) => ({ value: t.id, label: t.data.name }))}
                  />
                </td>
                <td className="num">{u.len(between(x.to))}</td>
                <td>
                  <LengthInput
                    small
                    label={words.sigmaOfDistance(k + 1)}
                    value={x.sigma}
                    disabled={!edit}
                    onChange={(v) => change(k, { sigma: v ?? 0.001 })}
                  />
                </td>
                <td>
                  <LengthInput
                    label={words.measuredDistance(k + 1)}
                    digits={4}
                    value={x.measured}
                    disabled={!edit}
                    onChange={(measured) => change(k, { measured })}
                  />
                </td>
                <td>
                  {edit && (
                    <Button type="text" size="small" onClick={() => put({ distances: list.filter((_, i) => i !== k) })}>
                      {words.remove}
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {edit && targets.length > 0 && (
        <div className="bar">
          <Button
            size="small"
            onClick={() => put({ distances: [...list, { to: targets[0]!.id, sigma: 0.001, measured: null }] })}
          >
            {words.addADistanceTo}
          </Button>
        </div>
      )}
    </div>
  )
}
