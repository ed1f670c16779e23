import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { renderHook } from '@testing-library/react'
import type { ReactNode } from 'react'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useEvents } from './hooks'

/** A stream of events that the test sends. */
class Stream {
  static CLOSED = 2
  static all: Stream[] = []
  readyState = 1
  onmessage: (() => void) | null = null
  onerror: (() => void) | null = null
  constructor(readonly url: string) {
    Stream.all.push(this)
  }
  close = () => {
    this.readyState = 2
  }
}

const TASKS = ['job', 'j', '/api/jobs/{job}/tasks']
const task = (id: string, finished: boolean) => ({ id, finished_at: finished ? '2026-01-01T00:00:00Z' : null })
let queries: QueryClient
let read: string[]

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', Stream)
  Stream.all = []
  queries = new QueryClient()
  read = []
  vi.spyOn(queries, 'invalidateQueries').mockImplementation((f) => {
    read.push((f?.queryKey as string[]).length > 2 ? 'tasks' : 'job')
    return Promise.resolve()
  })
})
afterEach(() => vi.useRealTimers())

const listen = (enabled = true) => {
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  )
  return renderHook(({ on }) => useEvents('j', on), { wrapper, initialProps: { on: enabled } })
}
const pass = (ms: number) => vi.advanceTimersByTimeAsync(ms)

describe('the tasks of a job', () => {
  it('are read again when they move, many moves at once as one', async () => {
    listen()
    expect(Stream.all.map((s) => s.url)).toEqual(['/api/jobs/j/events'])
    for (let k = 0; k < 20; k++) Stream.all[0]!.onmessage!()
    await pass(300)
    expect(read).toEqual(['tasks'])
  })
  it('bring all else with them when one has ended, and only then', async () => {
    listen()
    queries.setQueryData(TASKS, [task('1', false)])
    Stream.all[0]!.onmessage!()
    await pass(300)
    expect(read).toEqual(['tasks'])
    queries.setQueryData(TASKS, [task('1', true)])
    Stream.all[0]!.onmessage!()
    await pass(300)
    expect(read).toEqual(['tasks', 'tasks', 'job'])
    Stream.all[0]!.onmessage!()
    await pass(300)
    expect(read).toEqual(['tasks', 'tasks', 'job', 'tasks'])
  })
  it('are listened to again after the server refused, and looked at meanwhile', async () => {
    listen()
    Stream.all[0]!.readyState = Stream.CLOSED
    Stream.all[0]!.onerror!()
    await pass(300)
    expect(read).toEqual(['tasks'])
    expect(Stream.all).toHaveLength(1)
    await pass(4000)
    expect(Stream.all).toHaveLength(2)
    // a line that broke comes back by itself
    Stream.all[1]!.onerror!()
    await pass(5000)
    expect(Stream.all).toHaveLength(2)
  })
  it('are let go when the page goes', async () => {
    const page = listen()
    page.unmount()
    expect(Stream.all[0]!.readyState).toBe(Stream.CLOSED)
    await pass(10_000)
    expect(Stream.all).toHaveLength(1)
    listen(false)
    expect(Stream.all).toHaveLength(1)
  })
})
