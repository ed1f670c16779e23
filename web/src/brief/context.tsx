import { type ReactNode, useId } from 'react'
import type { Schema } from '../api/client'
import { brief as words } from '../words'

export type BriefT = Schema['Brief']

/** What the parts of the brief are given. */
export interface Part {
  brief: BriefT
  edit: boolean
  wrong: { field?: string; text: string } | null
  set: (part: Partial<BriefT>) => void
}

/** A field with its label, and what is wrong with it. */
export function Field(p: {
  label: ReactNode
  name: string
  wrong: Part['wrong']
  children: ReactNode
  wide?: boolean
}) {
  const id = useId()
  return (
    <div className={`field ${p.wide ? 'wide' : ''}`} role="group" aria-labelledby={id}>
      <span className="label" id={id}>
        {p.label}
      </span>
      {p.children}
      {p.wrong?.field === p.name && (
        <div className="wrong" role="alert">
          {p.wrong.text}
        </div>
      )}
    </div>
  )
}

/** What the fields of a brief are called. */
export const NAMES: Record<string, string> = {
  name: 'Job',
  'brief.client': words.client,
  'brief.deliverables': words.toBeHandedOver,
  'brief.site': words.site,
  'brief.purpose': words.purpose,
  'brief.hazards': words.hazardsAndPermissions,
  'brief.unit': words.unit,
  'brief.epsg': words.epsgCode,
  'brief.output': words.coordinatesHandedOver,
  'brief.vertical': words.verticalReference,
  'brief.undulation': words.geoidOverEllipsoid,
  'brief.origin': words.localOrigin,
  'brief.sphere_diameter': words.sphereDiameter,
  'brief.checker_side': words.checkerboardSize,
  'brief.tie_by_clouds': words.registrationBy,
  'brief.requirement.horizontal95': words.horizontalPosition95,
  'brief.requirement.vertical95': words.height95,
  'brief.requirement.spatial95': words.positionInSpace95,
  'brief.requirement.check_rmse': words.checkPointsRootMean,
}
export const nameOf = (path: string) =>
  NAMES[path] ??
  path
    .replace(/^brief\./, '')
    .replace(/^instrument\./, 'instrument: ')
    .replaceAll('_', ' ')
    .replaceAll('.', ', ')
