// @vitest-environment node
import { afterEach, describe, expect, it, vi } from 'vitest'
import { api, ApiError, unwrap, UNREACHED } from './client'

const answers = (status: number, body: string, type = 'application/json') =>
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status, headers: { 'content-type': type } })))
const ask = async () => unwrap(await api.GET('/api/me'))
const failed = async () => {
  try {
    await ask()
  } catch (e) {
    return e as ApiError
  }
  throw new Error('it did not fail')
}
afterEach(() => vi.unstubAllGlobals())

describe('an answer', () => {
  it('is its data', async () => {
    answers(200, '{"name":"Ada"}')
    expect(await ask()).toEqual({ name: 'Ada' })
  })
  it('that refuses says why, and which field it is about', async () => {
    answers(422, '{"error":"found 3, expected 4","field":"spheres"}')
    expect(await failed()).toMatchObject({ message: 'found 3, expected 4', field: 'spheres', status: 422 })
    answers(409, '{"error":"somebody changed it","field":null}')
    expect((await failed()).field ?? undefined).toBeUndefined()
  })
  it('of something between says what it can', async () => {
    answers(502, 'bad gateway', 'text/plain')
    expect(await failed()).toMatchObject({ status: 502, message: 'bad gateway' })
    answers(500, '', 'text/html')
    expect((await failed()).message).toBe('the server answered 500')
  })
  it('that never comes is told from a refusal, and from a question that was withdrawn', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('Failed to fetch')))
    expect(await failed()).toMatchObject({ status: 0, message: UNREACHED })
    vi.stubGlobal('fetch', () => Promise.reject(new DOMException('gone', 'AbortError')))
    expect((await failed()).name).toBe('AbortError')
  })
  it('to a change carries the sign of the page', async () => {
    const seen = vi.fn((r: Request) => Promise.resolve(new Response('[]', { status: r ? 200 : 500 })))
    vi.stubGlobal('fetch', seen)
    await api.POST('/api/tokens', { body: { name: 'x' } })
    expect(seen.mock.calls[0]![0].headers.get('x-vistazo')).toBe('1')
  })
})
