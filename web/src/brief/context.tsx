import { type ReactNode, useId } from 'react'
import type { Schema } from '../api/client'

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
  'brief.client': 'Client',
  'brief.site': 'Site',
  'brief.purpose': 'Purpose',
  'brief.hazards': 'Hazards and permissions',
  'brief.unit': 'Unit',
  'brief.epsg': 'EPSG code',
  'brief.output': 'Coordinates handed over',
  'brief.vertical': 'Vertical reference',
  'brief.undulation': 'Geoid over ellipsoid',
  'brief.origin': 'Local origin',
  'brief.sphere_diameter': 'Sphere diameter',
  'brief.checker_side': 'Checkerboard size',
  'brief.tie_by_clouds': 'Registration by',
  'brief.requirement.horizontal95': 'Horizontal position, 95 %',
  'brief.requirement.vertical95': 'Height, 95 %',
  'brief.requirement.spatial95': 'Position in space, 95 %',
  'brief.requirement.check_rmse': 'Check points, root mean square',
}
export const nameOf = (path: string) =>
  NAMES[path] ??
  path
    .replace(/^brief\./, '')
    .replace(/^instrument\./, 'instrument: ')
    .replaceAll('_', ' ')
    .replaceAll('.', ', ')
