import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { render, renderHook } from '@testing-library/react'
import type { ReactNode } from 'react'
import { MemoryRouter } from 'react-router-dom'
import { vi } from 'vitest'
import { type Job, JobContext } from '../lib/hooks'

/** What a server answers: a body, or a status with one. */
export type Answer = { status: number; body: unknown } | { body: unknown }
type Handler = (request: { path: string; query: URLSearchParams; body: unknown }) => Answer | Promise<Answer>

/** A server of one's own: handlers by method and the end of the path; what it was sent, in order. */
export function serve(handlers: Record<string, Handler>) {
  const sent: { call: string; body: unknown }[] = []
  vi.stubGlobal('fetch', async (request: Request) => {
    const url = new URL(request.url)
    const text = request.method === 'GET' ? '' : await request.text()
    const isJson = request.headers.get('content-type')?.includes('json')
    const body: unknown = text && isJson ? JSON.parse(text) : text || null
    const key = Object.keys(handlers).find((k) => {
      const [method, end] = k.split(' ')
      return method === request.method && new RegExp(`${end}$`).test(url.pathname)
    })
    if (!key) throw new Error(`nobody answers ${request.method} ${url.pathname}`)
    if (request.method !== 'GET') sent.push({ call: `${request.method} ${url.pathname}`, body })
    const answer = await handlers[key]!({ path: url.pathname, query: url.searchParams, body })
    const status = 'status' in answer ? answer.status : 200
    return new Response(status === 204 ? null : JSON.stringify(answer.body), {
      status,
      headers: { 'content-type': 'application/json' },
    })
  })
  return sent
}

export const refused = (error: string, status = 409): Answer => ({ status, body: { error } })

function around(role: string, at: string) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  return function Around({ children }: { children: ReactNode }) {
    return (
      <QueryClientProvider client={queries}>
        <MemoryRouter initialEntries={[at]}>
          <JobContext value={{ id: 'j', role } as Job}>{children}</JobContext>
        </MemoryRouter>
      </QueryClientProvider>
    )
  }
}

/** A part of a sheet of the job `j`, for somebody with a role. */
export const show = (part: ReactNode, { role = 'owner', at = '/jobs/j/register' } = {}) =>
  render(part, { wrapper: around(role, at) })

/** A hook of such a part. */
export const hold = <T,>(hook: () => T) => renderHook(hook, { wrapper: around('owner', '/jobs/j/plan') }).result
