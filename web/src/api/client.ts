import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schema = components['schemas']
export const api = createClient<paths>({ baseUrl: '/', headers: { 'x-vistazo': '1' } })

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

/** The data of an answer, or an error that says what the server said. */
export function unwrap<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.response.ok) return answer.data as T
  const body = answer.error as { error?: string; field?: string } | string | undefined
  const text =
    typeof body === 'object' && body?.error
      ? body.error
      : typeof body === 'string' && body
        ? body
        : `the server answered ${answer.response.status}`
  throw new ApiError(text, answer.response.status, typeof body === 'object' ? body?.field : undefined)
}
