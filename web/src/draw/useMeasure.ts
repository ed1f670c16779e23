import { api, type Schema, unwrap } from '../api/client'
import { useAsk, useJob } from '../lib/hooks'
import type { Edit } from './drawn'
import { measured } from './features'
import type { Drawing } from './useDrawing'

export type Asked = { of: Edit; asked: Schema['CornersRequest'] }

/** Measures, and keeps what was measured; several in turn. Answers how many are known at every corner. */
export function useMeasure(drawing: Drawing) {
  const job = useJob()
  return useAsk(async (all: Asked[]) => {
    const edits: Edit[] = []
    for (const { of, asked } of all) {
      const m = unwrap(
        await api.POST('/api/jobs/{job}/drawing/measure', { params: { path: { job: job.id } }, body: asked }),
      )
      edits.push({ ...of, data: measured(of.data ?? {}, m) })
    }
    await drawing.apply(edits)
    return edits.filter((e) => e.data?.shots?.every((s) => s != null)).length
  })
}
