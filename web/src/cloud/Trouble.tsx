import type { UseQueryResult } from '@tanstack/react-query'
import { States } from '../parts'
import { cloud as words } from '../words'

/** What keeps the clouds from being seen, and what can be done about it. */
export function Trouble(p: {
  state: 'there' | 'lost' | 'none'
  remake: () => void
  read: UseQueryResult<unknown>
  failed: number
  again: () => void
}) {
  return (
    <>
      {p.state === 'none' && <p className="empty over">{words.thisBrowserHasNo}</p>}
      {p.state === 'lost' && (
        <div className="state failed over" role="alert">
          {words.theGraphicsCardLet}
          <button type="button" className="link" onClick={p.remake}>
            {words.drawItAgain}
          </button>
        </div>
      )}
      {(p.read.isError || p.read.isPending) && (
        <div className="over">
          <States of={p.read} what={words.theCloud}>
            {null}
          </States>
        </div>
      )}
      {p.failed > 0 && (
        <div className="state failed over" role="alert">
          {words.partsOfTheCloud(p.failed)}
          <button type="button" className="link" onClick={p.again}>
            {words.tryAgain}
          </button>
        </div>
      )}
    </>
  )
}
