import type { Schema } from '../api/client'
import type { Tool } from './PlanCanvas'
import { storeyAt } from './storeys'
import type { Change, Item } from './usePlan'
import { plan as words } from '../words'

type Data = Schema['PlanData']
type Line = [number, number][]

/** What each tool asks for. */
export const HINTS: Record<Tool, string> = {
  fit: words.clickTwoPointsOf,
  pick: words.clickToPickShift,
  wall: words.clickAlongTheWall,
  obstacle: words.clickRoundTheObstacle,
  column: words.clickTheMiddleOf,
  floor: words.clickRoundTheFloor,
  area: words.clickRoundTheArea,
  edge: words.clickAlongTheBreakline,
  walk: words.clickAlongTheWalk,
  height: words.clickWhereTheHeight,
  station: words.clickWhereTheInstrument,
  target: words.clickWhereTheTarget,
}
const PREFIX: Record<string, string> = {
  station: 'S',
  target: 'K',
  wall: words.wallTitle,
  obstacle: words.obstacleTitle,
  column: words.columnTitle,
  floor: words.floorTitle,
  area: words.areaTitle,
  edge: words.breaklineTitle,
  walk: 'W',
  height: 'H',
}
export const POINTS = ['station', 'target', 'column', 'height']

/** A name of the kind that no item has, nor any that was just given. */
export function freeName(items: Item[], kind: string, taken?: Set<string>): string {
  const names = new Set(items.filter((i) => i.kind === kind).map((i) => i.data.name.toLowerCase()))
  for (let k = 1; ; k++) {
    const name = `${PREFIX[kind]}${k}`
    if (!names.has(name.toLowerCase()) && !taken?.has(`${kind} ${name.toLowerCase()}`)) return name
  }
}

/** The height of the storey or ground that an item stands on. */
export const footOf = (i: Item) =>
  i.kind === 'station' || i.kind === 'target' ? (i.data.position?.[2] ?? 0) : (i.data.base ?? 0)

/** The unit that the last walk is walked with. */
export const lastUnit = (items: Item[]) => items.findLast((i) => i.kind === 'walk')?.data.unit ?? 'Hand-held'

/** What a drawn shape becomes on a storey (`level` its floor, or null when all are shown). */
export function drawnData(kind: Tool, line: Line, items: Item[], storeys: number[], level: number | null): Data {
  const [x, y] = line[0] ?? [0, 0]
  const foot = level ?? 0
  const tall: Partial<Record<Tool, number>> = { wall: 3, column: 3, obstacle: 1.5 }
  const base: Data = {
    name: freeName(items, kind),
    base: kind === 'edge' ? -2 : foot,
    top: foot + (tall[kind] ?? 0),
    position: [0, 0, 0],
  }
  // above the nearest height of the ground that is known
  const away = (i: Item) => Math.hypot((i.data.position?.[0] ?? 0) - x, (i.data.position?.[1] ?? 0) - y)
  const nearest = items.filter((i) => i.kind === 'height').sort((p, q) => away(p) - away(q))[0]
  const upstairs = level !== null && storeyAt(storeys, level) > 0
  const ground = upstairs ? level : (nearest?.data.position?.[2] ?? foot)
  const at = (z: number): Data => ({ ...base, position: [x, y, Number((ground + z).toFixed(4))] })
  switch (kind) {
    case 'station':
      return at(1.65)
    case 'target':
      return { ...at(1.4), target: 'sphere' }
    case 'height':
      return at(0)
    case 'column':
      return { ...at(0), base: ground, top: ground + 3, radius: 0.2 }
    case 'area':
      return { ...base, line, area: 'no_go' }
    case 'walk':
      return { ...base, base: ground, top: ground, line, unit: lastUnit(items) }
    default:
      return { ...base, line }
  }
}

/** Lines as walks of the plan, after the names that are there: `first` keeps its name and its version. */
export function walksOf(items: Item[], lines: number[][][], like: Data, first?: Item): Change[] {
  const taken = new Set<string>()
  return lines.map((line, k): Change => {
    if (first && k === 0) return { id: first.id, kind: 'walk', data: { ...like, line } }
    const name = freeName(items, 'walk', taken)
    taken.add(`walk ${name.toLowerCase()}`)
    return { id: crypto.randomUUID(), kind: 'walk', data: { ...like, name, line } }
  })
}

/** Items that were moved or reshaped, as one step. A station that is dragged leaves its mark; a mark that is dragged
 * takes the stations over it along. */
export function movedItems(items: Item[], moves: { id: string; line: Line }[]): Change[] {
  const changes = new Map<string, Change>()
  for (const { id, line } of moves) {
    const item = items.find((i) => i.id === id)
    if (!item) continue
    const [x, y] = line[0] ?? [0, 0]
    const to = (i: Item): [number, number, number] => [x, y, i.data.position?.[2] ?? 0]
    const data: Data = POINTS.includes(item.kind)
      ? {
          ...item.data,
          position: to(item),
          over: undefined,
          instrument_height: item.data.over ? undefined : item.data.instrument_height,
        }
      : { ...item.data, line }
    changes.set(id, { id, kind: item.kind, data })
    if (item.kind === 'target')
      for (const i of items.filter((s) => s.data.over === id && !changes.has(s.id)))
        changes.set(i.id, { id: i.id, kind: i.kind, data: { ...i.data, position: to(i) } })
  }
  return [...changes.values()]
}

/** Items shifted on the plan, as one step. */
export const nudged = (items: Item[], dx: number, dy: number) =>
  movedItems(
    items,
    items
      .filter((i) => i.kind !== 'underlay')
      .map((i) => {
        const line: Line = POINTS.includes(i.kind)
          ? [[i.data.position?.[0] ?? 0, i.data.position?.[1] ?? 0]]
          : ((i.data.line ?? []) as Line)
        return { id: i.id, line: line.map(([x, y]) => [x + dx, y + dy]) }
      }),
  )

/** Lines of a name and two or three numbers, in units of so many metres; what cannot be read is named. */
export function parsePoints(text: string, metres: number): { name: string; at: [number, number, number | null] }[] {
  const rows = text
    .split('\n')
    .map((line, k) => ({ line: line.trim(), k: k + 1 }))
    .filter((r) => r.line && !r.line.startsWith('#'))
  return rows.map(({ line, k }) => {
    const parts = line.includes(';') || line.includes('\t') ? line.split(/[;\t]/) : line.split(/[,\s]+/)
    const [name = '', ...numbers] = parts.map((p) => p.trim())
    const values = numbers.filter(Boolean).map((n) => Number(n.replace(',', '.')) * metres)
    if (!name || values.length < 2 || values.some((v) => !Number.isFinite(v)))
      throw new Error(words.lineFoundExpectedA(k, line.slice(0, 40)))
    return { name, at: [values[0]!, values[1]!, values[2] ?? null] }
  })
}

/** Takes up a proposal, as one step: what is locked or stands over a mark stays with its name, other stations go, and the
 * proposed ones come under free names, in the order to take them. */
export function takenUp(items: Item[], a: Schema['AlternativeDto'], usual: number): Change[] {
  const stations = items.filter((i) => i.kind === 'station')
  const stay = stations.filter((i) => i.data.locked || i.data.over)
  const taken = new Set(stay.map((i) => `station ${i.data.name.toLowerCase()}`))
  const gone = stations.filter((i) => !stay.includes(i)).map((i): Change => ({ id: i.id, kind: i.kind, data: null }))
  const fresh = a.stations.slice(a.locked).map((at, order): Change => {
    const name = freeName([], 'station', taken)
    taken.add(`station ${name.toLowerCase()}`)
    const step = Math.abs(a.step - usual) > 1e-9 ? { step: a.step } : {}
    return {
      id: crypto.randomUUID(),
      kind: 'station',
      data: { name, base: 0, top: 0, position: at, order: order + 1, ...step },
    }
  })
  return [...gone, ...fresh]
}
