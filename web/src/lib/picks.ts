import { useCallback, useMemo } from 'react'
import { useSearchParams } from 'react-router-dom'

/** Something that is picked, the same on every sheet: a target, a station, a wall, by its name. */
export interface Pick {
  kind: string
  name: string
}

const PARAM = 'pick'
// a comma or colon may be part of a name
const code = (p: Pick) => `${p.kind}:${encodeURIComponent(p.name)}`

export function parse(text: string | null): Pick[] {
  return (text ?? '')
    .split(',')
    .filter((t) => t.includes(':'))
    .map((t) => {
      const k = t.indexOf(':')
      try {
        return { kind: t.slice(0, k), name: decodeURIComponent(t.slice(k + 1)) }
      } catch {
        return { kind: t.slice(0, k), name: t.slice(k + 1) }
      }
    })
}
export const print = (picks: Pick[]) => picks.map(code).join(',')

/** The address of a sheet with something picked. */
export const withPicks = (to: string, picks: Pick[]) =>
  picks.length ? `${to}?${new URLSearchParams({ [PARAM]: print(picks) }).toString()}` : to

/** What is picked. It stands in the address, so that a link opens the same view and every sheet shows the same. */
export function usePicks() {
  const [params, setParams] = useSearchParams()
  const text = params.get(PARAM)
  const picks = useMemo(() => parse(text), [text])
  const set = useCallback(
    (next: Pick[]) =>
      setParams(
        (old) => {
          const p = new URLSearchParams(old)
          if (next.length) p.set(PARAM, print(next))
          else p.delete(PARAM)
          return p
        },
        { replace: true },
      ),
    [setParams],
  )
  return [picks, set] as const
}

/** The one thing of a kind that is picked. */
export function usePicked(kind: string) {
  const [picks, set] = usePicks()
  const name = picks.findLast((p) => p.kind === kind)?.name ?? null
  return [name, useCallback((n: string | null) => set(n ? [{ kind, name: n }] : []), [kind, set])] as const
}
