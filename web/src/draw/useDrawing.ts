import { useQuery, useQueryClient } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { useJob, useRead } from '../lib/hooks'
import { useItems } from '../lib/items'
import type { Drawn, DrawnData, Place } from './drawn'

type Read = Omit<Schema['DrawingDto'], 'items'> & { items: Drawn[] }
const NONE: Drawn[] = []

/** Everything that is drawn, with undo and redo. */
export function useDrawing() {
  const job = useJob()
  const queries = useQueryClient()
  const read = useRead('/api/jobs/{job}/drawing')
  const data: Read | undefined = read.data
  const drawing = useItems<DrawnData>(
    data?.items ?? NONE,
    async (body) =>
      unwrap(
        await api.POST('/api/jobs/{job}/drawing/edits', {
          params: { path: { job: job.id } },
          body: body as Schema['PlanEdit'][],
        }),
      ),
    (change) =>
      queries.setQueryData<Read>(
        ['job', job.id, '/api/jobs/{job}/drawing'],
        (old) => old && { ...old, items: change(old.items) },
      ),
  )
  return { ...drawing, data, read }
}

export type Drawing = ReturnType<typeof useDrawing>

/** Points of the clouds in the slab that a sheet was drawn from, on the grid. */
export function useSlab(sheet: Drawn | undefined, items: Drawn[], wanted: boolean): Place[] {
  const job = useJob()
  // to the metre: what is drawn within it asks for nothing new
  const box = boxOf(items)?.map((v) => Math.round(v)) as ReturnType<typeof boxOf> | undefined
  const level = sheet?.data.level
  const cut = box &&
    level && {
      at: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2, level[0]! + level[1]!] as [number, number, number],
      bearing: 90,
      tilt: 0,
      width: Math.min(4000, box[2] - box[0] + 4),
      height: Math.min(4000, box[3] - box[1] + 4),
      thickness: level[2]!,
    }
  const found = useQuery({
    queryKey: ['job', job.id, 'slices', 'slab', cut],
    enabled: wanted && cut != null,
    staleTime: Infinity,
    queryFn: async ({ signal }) => {
      const out = unwrap(
        await api.POST('/api/jobs/{job}/slices/cut', { params: { path: { job: job.id } }, body: cut!, signal }),
      )
      const places: Place[] = []
      for (const s of out.scans)
        for (let k = 0; k + 1 < s.points.length; k += 2)
          places.push([cut!.at[0] + s.points[k]! * 1e-4, cut!.at[1] + s.points[k + 1]! * 1e-4])
      return places
    },
  })
  return found.data ?? EMPTY
}
const EMPTY: Place[] = []

/** Lowest and highest of everything drawn. */
export function boxOf(items: Drawn[]): [number, number, number, number] | null {
  const places = items.flatMap((d) => [...(d.data.line ?? []), ...(d.data.position ? [d.data.position] : [])])
  if (places.length === 0) return null
  return places.reduce<[number, number, number, number]>(
    (b, [x, y]) => [Math.min(b[0], x!), Math.min(b[1], y!), Math.max(b[2], x!), Math.max(b[3], y!)],
    [Infinity, Infinity, -Infinity, -Infinity],
  )
}
