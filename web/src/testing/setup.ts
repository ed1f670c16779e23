import { cleanup } from '@testing-library/react'
import { afterEach, vi } from 'vitest'

/** What the tests have that a browser has: requests to the page's own server. What was rendered goes after each. */
class FromHere extends Request {
  constructor(to: RequestInfo | URL, how?: RequestInit) {
    super(typeof to === 'string' ? new URL(to, 'http://localhost') : to, how)
  }
}
vi.stubGlobal('Request', FromHere)
/** Nothing has a size here. */
class Unsized {
  observe = () => undefined
  unobserve = () => undefined
  disconnect = () => undefined
}
vi.stubGlobal('ResizeObserver', Unsized)
afterEach(cleanup)
/** Nobody wishes for the dark, and every page is wide. */
vi.stubGlobal('matchMedia', (media: string) => ({
  media,
  matches: false,
  addEventListener: () => undefined,
  removeEventListener: () => undefined,
}))
