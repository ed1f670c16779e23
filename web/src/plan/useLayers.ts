import { num } from '../lib/format'
import { useMemo } from 'react'
import type { Schema } from '../api/client'
import { fromAbove, type MapMode, type Surface } from './maps'
import type { Item } from './usePlan'

type Point = [number, number]
const NONE: number[][] = []

interface Input {
  items: Item[]
  /** Those of the storey that is shown. */
  shown: Item[]
  picked: string[]
  cover: Schema['CoverDto'] | undefined
  surfaces: Surface[] | undefined
  mode: MapMode
  limit: number | null
  flat: number | null | undefined
  here: (z: number) => boolean
  ghost: Schema['AlternativeDto'] | null
  moves: Schema['MoveDto'][]
  live: { id: string; look: Schema['LookDto'] } | null
}

const point = (p: readonly number[] | null | undefined): Point => [p?.[0] ?? 0, p?.[1] ?? 0]

/** What is drawn over the plan: maps, ellipses, links, sights, what is carried, what goes wrong. */
export function useLayers({
  items,
  shown,
  picked,
  cover,
  surfaces,
  mode,
  limit,
  flat,
  here,
  ghost,
  moves,
  live,
}: Input) {
  const ellipses = useMemo(
    () =>
      (cover?.prediction.targets ?? [])
        .filter((t) => here(t.position[2] ?? 0))
        .map((t) => ({
          at: point(t.position),
          a: t.error.horizontal,
          b: t.error.horizontal_minor,
          bearing: t.error.bearing,
          over: flat != null && t.error.horizontal > flat,
        })),
    [cover, flat, here],
  )
  const map = useMemo(() => {
    if (mode === 'station' || !surfaces) return []
    const ids = new Set(shown.map((i) => i.id))
    return fromAbove(
      mode,
      surfaces.filter((s) => ids.has(s.item)),
      limit,
    )
  }, [mode, surfaces, limit, shown])
  const ghosts = useMemo(
    () => (ghost?.stations ?? []).flatMap((s, k) => (here(s[2] ?? 0) ? [{ at: point(s), order: k + 1 }] : [])),
    [ghost, here],
  )
  const stations = useMemo(
    () => new Map(shown.filter((i) => i.kind === 'station').map((i) => [i.data.name, i])),
    [shown],
  )
  const carried = useMemo(
    () =>
      moves.flatMap((m) => {
        const from = items.find((i) => i.kind === 'station' && i.data.name === m.station)?.data.position
        return m.carry.map((c) => ({ from: point(from), to: point(c.to), name: c.sphere }))
      }),
    [moves, items],
  )
  const links = useMemo(() => {
    const all = cover?.links ?? []
    const names = new Set(items.filter((i) => picked.includes(i.id)).map((i) => i.data.name))
    return all.flatMap((l) => {
      const [a, b] = [l.from, l.to].map((n) => stations.get(n)?.data.position)
      if (!a || !b) return []
      const shared = l.targets.length + l.marks.length
      // many labels hide one another: those of the picked station, or few
      const told = l.bridge || all.length <= 10 || names.has(l.from) || names.has(l.to)
      const says = told ? `${num(100 * l.overlap, 0)} %${shared ? `, ${shared}` : ''}` : ''
      return [{ line: [point(a), point(b)], bridge: l.bridge, says }]
    })
  }, [cover, items, stations, picked])
  const sights = useMemo(() => {
    const by = new Map(items.map((i) => [i.id, i.data.position]))
    return shown.flatMap((s) =>
      (s.data.sights ?? []).flatMap((id) => {
        const mark = by.get(id)
        return mark && s.data.position ? [[point(s.data.position), point(mark)]] : []
      }),
    )
  }, [items, shown])
  const marks = useMemo(() => {
    const names = new Set(shown.map((i) => i.data.name))
    return (cover?.traps ?? [])
      .filter((t) => t.at && t.about.some((n) => names.has(n)))
      .map((t) => ({ at: t.at as Point, failed: t.grade === 'failed' }))
  }, [cover, shown])
  const at = cover?.stations.findIndex((s) => picked.length === 1 && s.station === picked[0]) ?? -1
  const standing = mode === 'station' && at >= 0 ? (cover?.stations[at]?.seen ?? NONE) : NONE
  const widest = Math.max(1e-6, ...(cover?.prediction.targets ?? []).map((t) => t.error.horizontal))
  return {
    ellipses: mode === 'station' ? ellipses : [],
    map,
    ghosts,
    carried,
    links,
    sights,
    marks,
    at,
    seen: live ? live.look.seen : standing,
    enlarge: [10, 20, 50, 100, 200, 500, 1000].findLast((f) => f * widest < 2.2) ?? 10,
  }
}
