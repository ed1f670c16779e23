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
  /** The unit of errors, metres. */
  smallMetres: number
}

export function unitsOf(code: string): Units {
  const metres = METRES[code] ?? 1
  const metric = code === 'm'
  const show = (v: number | null | undefined, f: number, d: number) => num(v == null ? v : v / f, d)
  return {
    code,
    metres,
    small: metric ? 'mm' : code,
    smallMetres: metric ? 0.001 : metres,
    len: (m, digits = 3) => show(m, metres, digits),
    area: (m2, digits = 0) => `${num(m2 / (metres * metres), digits)} ${code}²`,
    err: (m) => show(m, metric ? 0.001 : metres, metric ? 2 : 5),
  }
}

export const UnitContext = createContext<Units>(unitsOf('m'))
export const useUnits = () => useContext(UnitContext)
