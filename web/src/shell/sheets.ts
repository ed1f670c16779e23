import { lazy } from 'react'

/** The sheets of a job, in the order of the work. */
export const SHEETS = {
  brief: lazy(() => import('../sheets/Brief')),
  plan: lazy(() => import('../sheets/Plan')),
  field: lazy(() => import('../sheets/Field')),
  register: lazy(() => import('../sheets/Register')),
  georeference: lazy(() => import('../sheets/Georeference')),
  check: lazy(() => import('../sheets/Check')),
  draw: lazy(() => import('../sheets/Draw')),
  deliver: lazy(() => import('../sheets/Deliver')),
}
export type Sheet = keyof typeof SHEETS
export const SHEET_NAMES = Object.keys(SHEETS) as Sheet[]
export const capital = (s: string) => s.charAt(0).toUpperCase() + s.slice(1)
