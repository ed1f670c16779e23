import { useMemo, useState } from 'react'
import type { Schema } from '../../api/client'
import { useRead } from '../../lib/hooks'
import type { Overlays } from '../canvas/overlays'

export type Walks = Schema['PlannedWalksDto']
export type Walk = Walks['walks'][number]
export type Lines = Schema['WalkLinesDto']
/** What was proposed, and what its walks are like. */
export type Proposal = { found: Lines; unit: string; floor: number } | null

/** Walks of the plan, what is proposed beside them, and how both are drawn. */
export function useWalks(shown: boolean) {
  const read = useRead('/api/jobs/{job}/plan/walks', shown)
  const [proposal, setProposal] = useState<Proposal>(null)
  const data = shown ? read.data : undefined
  const layers = useMemo(
    (): Pick<Overlays, 'walked' | 'helps' | 'proposed'> => ({
      walked: (data?.walks ?? []).flatMap(stretches),
      helps: (data?.helps ?? []).map((h, k) => ({ at: [h.at[0] ?? 0, h.at[1] ?? 0], order: k + 1 })),
      proposed: shown ? ((proposal?.found.lines ?? []) as [number, number][][]) : [],
    }),
    [data, proposal, shown],
  )
  return { read, proposal, setProposal, layers }
}

/** Neighbouring places of one judgement as one line. */
export function stretches(w: Walk): Overlays['walked'] {
  const out: Overlays['walked'] = []
  w.places.forEach((p, k) => {
    const at: [number, number] = [p.at[0] ?? 0, p.at[1] ?? 0]
    const beyond = p.limit == null ? null : p.error95 > p.limit
    const last = out.at(-1)
    const before = w.places[k - 1]
    if (last?.beyond === beyond) last.line.push(at)
    else out.push({ line: before ? [[before.at[0] ?? 0, before.at[1] ?? 0], at] : [at, at], beyond })
  })
  return out
}
