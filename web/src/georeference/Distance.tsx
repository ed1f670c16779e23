import { useCallback, useMemo } from 'react'
import type { Schema } from '../api/client'
import { useUnits } from '../lib/units'
import { Chart, type Colours, Plot } from '../parts/Chart'
import type { Control } from './useControl'
import { georeference as words } from '../words'

/** How the stated error grows away from control, and how far off the check points are. */
export function Distance({
  result,
  control,
  onPick,
}: {
  result: Schema['GeorefResult']
  control: Control[]
  onPick: (name: string) => void
}) {
  const u = useUnits()
  const rows = useMemo(() => {
    const held = control.filter((c) => !c.is_check && c.e != null && c.n != null)
    const off = new Map(result.checks.map((c) => [c.target, Math.hypot(...c.residual)]))
    if (held.length === 0) return []
    return result.targets.map((t) => {
      const [e = 0, n = 0] = t.position
      const away = Math.min(...held.map((c) => Math.hypot(c.e! - e, c.n! - n)))
      const check = off.get(t.name)
      return {
        name: t.name,
        away: away / u.metres,
        error: t.error.spatial / u.smallMetres,
        check: check == null ? null : check / u.smallMetres,
      }
    })
  }, [result, control, u])
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const checks = rows.filter((r) => r.check != null)
      return {
        x: { label: words.distanceToTheNearest(u.code), grid: true, zero: true },
        y: { label: `[${u.small}]`, grid: true, zero: true },
        marks: [
          Plot.dot(rows, { x: 'away', y: 'error', stroke: c.accent, r: 3.5 }),
          Plot.dot(checks, { x: 'away', y: 'check', fill: c.ochre, symbol: 'triangle', r: 4.5 }),
          Plot.text(checks, { x: 'away', y: 'check', text: 'name', dy: -10, fill: c.ink }),
          Plot.tip(
            rows,
            Plot.pointer({ x: 'away', y: 'error', title: (r: { name: string }) => r.name, fill: c.paper }),
          ),
        ],
      }
    },
    [rows, u],
  )
  if (rows.length < 2) return null
  return (
    <div className="plots">
      <Chart<(typeof rows)[number]>
        caption={words.stated95ErrorAnd}
        says={words.targetsTheFarthestFrom(
          rows.length,
          u.len(Math.max(...rows.map((r) => r.away * u.metres)), 1),
          u.code,
        )}
        options={options}
        onPick={(r) => onPick(r.name)}
      />
    </div>
  )
}
