import { Spin } from 'antd'
import type { ReactNode } from 'react'
import { UNREACHED } from '../api/client'
import { when } from '../lib/format'

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
        <b>{what} could not be read.</b>{' '}
        {reason.message === UNREACHED ? 'The server cannot be reached.' : reason.message}{' '}
        <button type="button" className="link" onClick={again}>
          Try again
        </button>
      </div>
    )
  if (missing)
    return (
      <div className="state" role="status" aria-busy="true">
        <Spin size="small" /> Reading {what.charAt(0).toLowerCase() + what.slice(1)}…
      </div>
    )
  const oldest = Math.min(...all.map((q) => q.dataUpdatedAt || Infinity))
  return (
    <>
      {reason && (
        <p className="state stale" role="status">
          Shown as of {Number.isFinite(oldest) ? when(new Date(oldest).toISOString()) : 'before'}:{' '}
          {reason.message === UNREACHED ? 'the server cannot be reached, it is tried again' : reason.message}.
        </p>
      )}
      {children}
    </>
  )
}
