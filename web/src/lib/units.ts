import { createContext, useContext } from 'react'
import { num } from './format'
import { common as words } from '../words'

export const METRES: Record<string, number> = { m: 1, ft: 0.3048, ftUS: 1200 / 3937 }
export const UNIT_NAMES: Record<string, string> = {
  m: words.metre,
  ft: words.internationalFoot,
  ftUS: words.usSurveyFoot,
}

/** How lengths are shown and entered in a job. The API speaks metres. */
export interface Units {
  code: string
  /** Metres in one unit. */
  metres: number
  /** Unit of errors: millimetres in metric jobs. */
  small: string
  /** A coordinate or distance, without the unit. */
  len: (m: number | null | undefined, digits?: number) => string
  /** An area, with the unit. */
  area: (m2: number, digits?: number) => string
  /** An error, without the unit. */
  err: (m: number | null | undefined) => string
  /** The same in a sentence: no more digits than it is good for. */
  about: (m: number | null | undefined) => string
  /** A value within its error, both with the decimals of the error, without the unit. */
  within: (m: number | null | undefined, error: number | null | undefined) => string
  /** The unit of errors, metres. */
  smallMetres: number
}

export function unitsOf(code: string): Units {
  const metres = METRES[code] ?? 1
  const metric = code === 'm'
  const show = (v: number | null | undefined, f: number, d: number) => num(v == null ? v : v / f, d)
  const small = metric ? 0.001 : metres
  // of what is a centimetre or a decimetre the last digits say nothing
  const places = (m: number | null | undefined) => {
    const less = [0.01, 0.1].filter((from) => Math.abs(m ?? 0) >= from).length
    return (metric ? 2 : 5) - less
  }
  return {
    code,
    metres,
    small: metric ? 'mm' : code,
    smallMetres: small,
    len: (m, digits = 3) => show(m, metres, digits),
    area: (m2, digits = 0) => `${num(m2 / (metres * metres), digits)} ${code}²`,
    err: (m) => show(m, small, metric ? 2 : 5),
    about: (m) => show(m, small, places(m)),
    within: (m, error) =>
      `${show(m, small, places(error))} ± ${error == null ? '?' : show(error, small, places(error))}`,
  }
}

export const UnitContext = createContext<Units>(unitsOf('m'))
export const useUnits = () => useContext(UnitContext)
