import { Button } from 'antd'
import type { Draft } from '../lib/draft'
import { VerdictCard } from './index'
import { common as words } from '../words'

const shown = (v: unknown): string => {
  if (v == null || v === '') return words.empty
  return typeof v === 'string' ? v : JSON.stringify(v)
}

/** What two people changed, side by side; nothing is saved before each is settled. */
export function Conflicts<T>({ draft, name }: { draft: Draft<T>; name: (path: string) => string }) {
  if (draft.conflicts.length === 0) return null
  return (
    <VerdictCard tone="doubtful" title={words.somebodyElseChangedThe} evidence={[words.whatOnlyOneOf]}>
      <table className="ledger" aria-label={words.conflicts}>
        <thead>
          <tr>
            <th scope="col">{words.field}</th>
            <th scope="col">{words.yours}</th>
            <th scope="col">{words.theirs}</th>
          </tr>
        </thead>
        <tbody>
          {draft.conflicts.map((c) => (
            <tr key={c.path}>
              <td>{name(c.path)}</td>
              <td>
                {shown(c.mine)}{' '}
                <Button size="small" onClick={() => draft.settle(c.path, 'mine')}>
                  {words.keepMine}
                </Button>
              </td>
              <td>
                {shown(c.theirs)}{' '}
                <Button size="small" onClick={() => draft.settle(c.path, 'theirs')}>
                  {words.takeTheirs}
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </VerdictCard>
  )
}
