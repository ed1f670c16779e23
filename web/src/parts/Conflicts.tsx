import { Button } from 'antd'
import type { Draft } from '../lib/draft'
import { VerdictCard } from './index'

const words = (v: unknown): string => {
  if (v == null || v === '') return 'empty'
  return typeof v === 'string' ? v : JSON.stringify(v)
}

/** What two people changed, side by side; nothing is saved before each is settled. */
export function Conflicts<T>({ draft, name }: { draft: Draft<T>; name: (path: string) => string }) {
  if (draft.conflicts.length === 0) return null
  return (
    <VerdictCard
      tone="doubtful"
      title="Somebody else changed the same while you wrote"
      evidence={['What only one of you changed is kept. Choose for the rest; nothing is saved before.']}
    >
      <table className="ledger" aria-label="Conflicts">
        <thead>
          <tr>
            <th scope="col">Field</th>
            <th scope="col">Yours</th>
            <th scope="col">Theirs</th>
          </tr>
        </thead>
        <tbody>
          {draft.conflicts.map((c) => (
            <tr key={c.path}>
              <td>{name(c.path)}</td>
              <td>
                {words(c.mine)}{' '}
                <Button size="small" onClick={() => draft.settle(c.path, 'mine')}>
                  Keep mine
                </Button>
              </td>
              <td>
                {words(c.theirs)}{' '}
                <Button size="small" onClick={() => draft.settle(c.path, 'theirs')}>
                  Take theirs
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </VerdictCard>
  )
}
