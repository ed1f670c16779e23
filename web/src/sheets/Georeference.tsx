import { Button, Segmented, Select } from 'antd'
import { useMemo, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import { ControlFile } from '../georeference/ControlFile'
import { ControlTable } from '../georeference/ControlTable'
import { FitResult } from '../georeference/FitResult'
import { useControl } from '../georeference/useControl'
import { Vectors } from '../georeference/Vectors'
import { canEdit, useChange, useJob, useKeys, useRead } from '../lib/hooks'
import { usePicks } from '../lib/picks'
import { States, VerdictCard } from '../parts'
import { georeference as words } from '../words'

type Model = Schema['Model']

/** Control, which of it is held back as check, how the block fits, and what the grid does to lengths. */
export default function Georeference() {
  const job = useJob()
  const edit = canEdit(job)
  const georef = useRead('/api/jobs/{job}/georeference')
  const adjustment = useRead('/api/jobs/{job}/adjustment')
  const g = georef.data?.result
  // the model of the last fit until another is chosen
  const [chosen, setModel] = useState<Model>()
  const model = chosen ?? g?.model ?? 'levelled'
  const [refused, setRefused] = useState('')
  const [view, setView] = useState<'cloud' | 'vectors'>('cloud')
  const control = useControl()
  const [picks, setPicks] = usePicks()
  const picked = picks.findLast((p) => p.kind === 'target')?.name ?? null
  const pick = (name: string | null) => setPicks(name ? [{ kind: 'target', name }] : [])
  const run = useChange(async (own: boolean) => {
    try {
      const r = unwrap(
        await api.POST('/api/jobs/{job}/georeference', { params: { path: { job: job.id } }, body: { model, own } }),
      )
      setRefused('')
      return r
    } catch (e) {
      setRefused((e as Error).message)
      throw e
    }
  })
  useKeys('g', 'f', () => run.mutate(false), edit)
  // before the fit the block is shown as it was adjusted, with the control beside it
  const block = adjustment.data?.result.refused ? undefined : adjustment.data?.result
  const shown = useMemo(() => ({ targets: (g ?? block)?.targets ?? [], ties: [] }), [g, block])
  // where no scan is, the passes are held by what they stood on
  const passes = useRead('/api/jobs/{job}/passes')
  const scans = useRead('/api/jobs/{job}/scans')
  const walked = scans.data?.length === 0 && (passes.data?.passes.length ?? 0) > 0
  const names = [...(adjustment.data?.result.targets ?? []), ...(adjustment.data?.result.candidates ?? [])].map(
    (t) => t.name,
  )
  return (
    <div className="split">
      <div className="canvas">
        {(g ?? block) && (
          <div className="canvas-tabs">
            <Segmented
              aria-label={words.whatIsDrawn}
              value={view}
              onChange={setView}
              options={[
                { value: 'cloud', label: g ? words.cloud : words.blockNotOnThe },
                { value: 'vectors', label: g ? words.vectors : words.controlPlain },
              ]}
            />
          </div>
        )}
        {(g ?? block) && view === 'cloud' ? (
          <CloudView frame={g ? 'grid' : 'block'} {...shown} selected={picked} onPick={pick} />
        ) : (
          <Vectors result={g} control={control.rows} />
        )}
      </div>
      <aside className="side" aria-label={words.georeferencing}>
        <States of={[georef, adjustment, control.read]} what={words.controlAndFit}>
          {edit && <ControlFile />}
          <ControlTable
            control={control}
            residuals={[...(g?.residuals ?? []), ...(g?.checks ?? [])]}
            names={names}
            edit={edit}
          />
          {edit && (
            <div className="bar">
              {!walked && (
                <Select
                  aria-label={words.model}
                  value={model}
                  onChange={setModel}
                  style={{ width: 250 }}
                  options={[
                    { value: 'levelled', label: words.levelledHeadingAndShift },
                    { value: 'rigid', label: words.rigidTurnsAndShift },
                    { value: 'similarity', label: words.withScale7To },
                  ]}
                />
              )}
              <Button
                type="primary"
                loading={run.isPending}
                disabled={control.rows.length === 0}
                onClick={() => run.mutate(false)}
              >
                {walked ? words.holdByMarks : words.fitToControl}
              </Button>
              {block && control.rows.length === 0 && (
                <Button loading={run.isPending} onClick={() => run.mutate(true)}>
                  {words.keepOwnSystem}
                </Button>
              )}
            </div>
          )}
          {refused && <VerdictCard tone="failed" title={words.refused} evidence={[refused]} />}
          {georef.data?.stale && <p className="warn">{words.theBlockOrThe}</p>}
          {g && <FitResult result={g} control={control.rows} picked={picked} onPick={pick} />}
        </States>
      </aside>
    </div>
  )
}
