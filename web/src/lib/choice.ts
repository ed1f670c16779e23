import { useSearchParams } from 'react-router-dom'

/** One of several, the first where nothing is said; it stands in the address, so that a link opens the same. */
export function useChoice<T extends string>(param: string, of: readonly T[]): [T, (v: T) => void] {
  const [params, setParams] = useSearchParams()
  const asked = of.find((v) => v === params.get(param))
  const set = (v: T) =>
    setParams(
      (old) => {
        const p = new URLSearchParams(old)
        p.set(param, v)
        return p
      },
      { replace: true },
    )
  return [asked ?? of[0]!, set]
}
