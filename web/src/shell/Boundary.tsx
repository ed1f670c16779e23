import type { ReactNode } from 'react'
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary'
import { shell as words } from '../words'

const RELOADED = 'vistazo-reloaded'
/** A part of the page that is no longer on the server: another version was installed. */
const isGone = (e: unknown) =>
  e instanceof Error && /dynamically imported module|importing a module script|preload CSS/i.test(e.message)

function Broken({ error, resetErrorBoundary }: FallbackProps) {
  return (
    <div className="state failed" role="alert">
      <b>{words.thisSheetCannotBe}</b>
      {words.whatWasSavedIs(error instanceof Error ? error.message : String(error))}
      <button type="button" className="link" onClick={resetErrorBoundary}>
        {words.showItAgain}
      </button>
    </div>
  )
}

/** Keeps what is broken to its own sheet; after a new version was installed the page is loaded again, once. */
export function Boundary({ children, about }: { children: ReactNode; about: string }) {
  return (
    <ErrorBoundary
      FallbackComponent={Broken}
      resetKeys={[about]}
      onError={(e) => {
        if (!isGone(e) || sessionStorage.getItem(RELOADED)) return
        sessionStorage.setItem(RELOADED, '1')
        window.location.reload()
      }}
    >
      {children}
    </ErrorBoundary>
  )
}
