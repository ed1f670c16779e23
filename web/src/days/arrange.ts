import type { Schema } from '../api/client'

export type Assigned = Schema['AssignedDto']

/** A station before another of a scanner, or at its end: the whole order after it. Where several scanners work beside one
 * another, the order of all runs through them side by side. */
export function moved(order: Assigned[], station: string, scanner: number, before: string | null): Assigned[] {
  const what = order.find((a) => a.station === station)
  if (!what || before === station) return order
  const count = Math.max(scanner, ...order.map((a) => a.scanner)) + 1
  const routes = Array.from({ length: count }, (_, u) => order.filter((a) => a.scanner === u && a.station !== station))
  const route = routes[scanner]!
  const at = before === null ? route.length : route.findIndex((a) => a.station === before)
  route.splice(at < 0 ? route.length : at, 0, { ...what, scanner })
  return beside(routes)
}

/** One order of several that are taken beside one another. */
function beside(routes: Assigned[][]): Assigned[] {
  const all = routes.flatMap((r, u) => r.map((a, i) => ({ a, u, at: (i + 0.5) / r.length })))
  return all.sort((x, y) => x.at - y.at || x.u - y.u).map((x) => x.a)
}

/** The stations as they are now. */
export const given = (days: Schema['DaysDto']): Assigned[] =>
  days.stations.map((s) => ({ station: s.id, scanner: s.scanner, locked: s.locked }))
