import { useJob, useRead, useSame } from '../lib/hooks'
import type { Item } from './usePlan'

/** A note from site, where it was pinned on the plan, or at its station. */
export interface SiteNote {
  at: [number, number]
  text: string
  hazard: boolean
}

/** Notes that stand. A client sees what was signed, and no notes. */
export function useSiteNotes(items: Item[]): SiteNote[] {
  const job = useJob()
  const journal = useRead('/api/jobs/{job}/field/journal', job.role !== 'client')
  const notes = (journal.data?.entries ?? []).flatMap((e): SiteNote[] => {
    if (!e.stands || e.fact.kind !== 'note') return []
    const { place, station, text, hazard } = e.fact.data
    const at = place ?? items.find((i) => i.id === station)?.data.position
    return at ? [{ at: [at[0] ?? 0, at[1] ?? 0], text: text ?? '', hazard: hazard ?? false }] : []
  })
  return useSame(notes)
}
