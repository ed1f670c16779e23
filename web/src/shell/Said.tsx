import { useEffect } from 'react'
import { useLocation } from 'react-router-dom'
import { dismiss, dismissAll, useSaid } from '../lib/errors'
import { shell as words } from '../words'

/** What went wrong, until it is read or another sheet is opened. */
export function Said() {
  const list = useSaid()
  const { pathname } = useLocation()
  useEffect(() => () => void dismissAll(), [pathname])
  if (list.length === 0) return null
  return (
    <div className="said" role="alert">
      {list.map((s) => (
        <div key={s.id} className="said-error">
          <span>{s.text}</span>
          <button type="button" className="link" onClick={() => dismiss(s.id)}>
            {words.dismiss}
          </button>
        </div>
      ))}
    </div>
  )
}
