import createClient from 'openapi-fetch'
import { heard } from '../lib/line'
import type { components, paths } from './schema'

export type Schema = components['schemas']

/** What the server says is wrong, with the field it is about. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly field?: string,
  ) {
    super(message)
  }
}

export const UNREACHED = 'The server cannot be reached. Nothing was changed; it is tried again.'

/** A line that is down is told apart from a server that refuses. */
async function reach(request: Request): Promise<Response> {
  try {
    const answer = await fetch(request)
    heard(answer)
    return answer
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new ApiError(UNREACHED, 0)
  }
}

export const api = createClient<paths>({ baseUrl: '/', headers: { 'x-vistazo': '1' }, fetch: reach })

/** The data of an answer, or an error that says what the server said. */
export function unwrap<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.response.ok) return answer.data as T
  const body = answer.error as { error?: string; field?: string } | string | undefined
  const said = typeof body === 'object' ? body.error : body
  throw new ApiError(
    said || `the server answered ${answer.response.status}`,
    answer.response.status,
    typeof body === 'object' ? body.field : undefined,
  )
}

/** What a GET of a path answers. */
export type Answer<P extends keyof paths> = paths[P] extends {
  get: { responses: { 200: { content: { 'application/json': infer A } } } }
}
  ? A
  : never
export type { paths }
