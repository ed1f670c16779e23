import { Spin } from 'antd'
import type { ReactNode } from 'react'
import { UNREACHED } from '../api/client'
import { when } from '../lib/format'
import { common as words } from '../words'

/** What of a query the states are read from. */
export interface Reading {
  data: unknown
  error: Error | null
  isError: boolean
  isFetching: boolean
  fetchStatus: string
  dataUpdatedAt: number
  failureCount: number
  failureReason: Error | null
  refetch: () => unknown
}

/** Loading, failed, and there: never an empty list while nobody knows. What was read before stays, and says how old it
 * is when it cannot be read again. */
export function States({ of, what, children }: { of: Reading | Reading[]; what: string; children: ReactNode }) {
  const all = Array.isArray(of) ? of : [of]
  const failed = all.find((q) => q.error ?? q.failureReason)
  const reason = failed?.error ?? failed?.failureReason
  const missing = all.some((q) => q.data === undefined && (q.isError || q.fetchStatus !== 'idle'))
  const again = () => all.forEach((q) => void q.refetch())
  if (missing && reason)
    return (
      <div className="state failed" role="alert">
        <b>{words.couldNotBeRead(what)}</b> {reason.message === UNREACHED ? words.theServerCannotBe : reason.message}{' '}
        <button type="button" className="link" onClick={again}>
          {words.tryAgain}
        </button>
      </div>
    )
  if (missing)
    return (
      <div className="state" role="status" aria-busy="true">
        <Spin size="small" />
        {words.reading(what.charAt(0).toLowerCase() + what.slice(1))}
      </div>
    )
  const oldest = Math.min(...all.map((q) => q.dataUpdatedAt || Infinity))
  return (
    <>
      {reason && (
        <p className="state stale" role="status">
          {words.shownAsOf(
            Number.isFinite(oldest) ? when(new Date(oldest).toISOString()) : words.before,
            reason.message === UNREACHED ? words.theServerCannotBeReached : reason.message,
          )}
        </p>
      )}
      {children}
    </>
  )
}
