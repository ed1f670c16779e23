import { Button, Input } from 'antd'
import { LengthInput } from '../../parts/LengthInput'
import type { Schema } from '../../api/client'
import type { Data } from './fields'
import { plan as words } from '../../words'

/** Doors, windows, gates: what a wall lets through. */
export function Openings({ d, edit, put }: { d: Data; edit: boolean; put: (p: Partial<Data>) => void }) {
  const list = d.openings ?? []
  const length = (d.line ?? [])
    .slice(1)
    .reduce((s, p, i) => s + Math.hypot(p[0]! - d.line![i]![0]!, p[1]! - d.line![i]![1]!), 0)
  const change = (k: number, part: Partial<Schema['OpeningDto']>) =>
    put({ openings: list.map((o, i) => (i === k ? { ...o, ...part } : o)) })
  const add = (door: boolean) =>
    put({
      openings: [
        ...list,
        {
          name: `${door ? words.door : words.window} ${list.length + 1}`,
          at: length / 2,
          width: Math.min(1, length / 2),
          sill: (d.base ?? 0) + (door ? 0 : 0.9),
          head: (d.base ?? 0) + 2.1,
        },
      ],
    })
  return (
    <div>
      {list.length > 0 && (
        <table className="ledger" aria-label={words.openings}>
          <thead>
            <tr>
              <th>{words.opening}</th>
              <th>{words.middleAlong}</th>
              <th>{words.width}</th>
              <th>{words.sill}</th>
              <th>{words.head}</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {list.map((o, k) => (
              <tr key={k}>
                <td>
                  <Input
                    aria-label={words.nameOfOpening(k + 1)}
                    value={o.name}
                    disabled={!edit}
                    onChange={(e) => change(k, { name: e.target.value })}
                  />
                </td>
                {(['at', 'width', 'sill', 'head'] as const).map((f) => (
                  <td key={f}>
                    <LengthInput
                      label={words.of(f, o.name)}
                      value={o[f]}
                      disabled={!edit}
                      onChange={(v) => change(k, { [f]: v ?? 0 })}
                    />
                  </td>
                ))}
                <td>
                  {edit && (
                    <Button type="text" size="small" onClick={() => put({ openings: list.filter((_, i) => i !== k) })}>
                      {words.remove}
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {edit && (
        <div className="bar">
          <Button size="small" onClick={() => add(true)}>
            {words.addADoor}
          </Button>
          <Button size="small" onClick={() => add(false)}>
            {words.addAWindow}
          </Button>
        </div>
      )}
    </div>
  )
}
