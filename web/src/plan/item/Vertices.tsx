import { Button } from 'antd'
import { useState } from 'react'
import { LengthInput } from '../../parts/LengthInput'
import { useUnits } from '../../lib/units'
import type { Data } from './fields'
import { plan as words } from '../../words'

/** The corners by number, and how far each is from the one before. */
export function Vertices({
  d,
  closed,
  edit,
  put,
}: {
  d: Data
  closed: boolean
  edit: boolean
  put: (p: Partial<Data>) => void
}) {
  const u = useUnits()
  const [open, setOpen] = useState(false)
  const line = d.line ?? []
  const change = (k: number, axis: number, v: number | null) =>
    put({ line: line.map((p, i) => (i === k ? p.map((o, a) => (a === axis ? (v ?? 0) : o)) : p)) })
  const last = line.at(-1) ?? [0, 0]
  const before = line.at(-2) ?? last
  const further = [2 * last[0]! - before[0]!, 2 * last[1]! - before[1]!] as [number, number]
  if (!open)
    return (
      <Button size="small" type="text" onClick={() => setOpen(true)}>
        {words.cornersByNumber(line.length)}
      </Button>
    )
  const side = (p: number[], q: number[]) => u.len(Math.hypot(p[0]! - q[0]!, p[1]! - q[1]!), 3)
  return (
    <table className="ledger" aria-label={words.corners}>
      <thead>
        <tr>
          <th>{words.corner}</th>
          <th>x</th>
          <th>y</th>
          <th className="num">{words.fromTheLast(u.code)}</th>
          <th>
            {edit && (
              <Button type="text" size="small" onClick={() => put({ line: [...line, further] as Data['line'] })}>
                {words.add}
              </Button>
            )}
          </th>
        </tr>
      </thead>
      <tbody>
        {line.map((p, k) => (
          <tr key={k}>
            <td>{k + 1}</td>
            {[0, 1].map((a) => (
              <td key={a}>
                <LengthInput
                  label={words.ofCorner('xy'[a], k + 1)}
                  value={p[a]}
                  disabled={!edit}
                  onChange={(v) => change(k, a, v)}
                />
              </td>
            ))}
            <td className="num">{(k > 0 || closed) && side(p, line[k - 1] ?? last)}</td>
            <td>
              {edit && line.length > (closed ? 3 : 2) && (
                <Button type="text" size="small" onClick={() => put({ line: line.filter((_, i) => i !== k) })}>
                  {words.remove}
                </Button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
