import { Button } from 'antd'
import type { Schema } from '../api/client'
import { VerdictCard } from '../parts'
import type { Registration } from './useRegistration'

type Finding = Schema['FindingDto']

function tone(f: Finding): 'sound' | 'doubtful' | 'failed' {
  if (f.kept) return 'sound'
  return f.kind === 'unplaced' || f.kind === 'size' ? 'failed' : 'doubtful'
}

/** What speaks against the block, each with its evidence and what can be done about it. */
export function Findings({ of: r, onShow }: { of: Registration; onShow: (target: string) => void }) {
  const all = r.result?.findings ?? []
  const lost = all.filter((f) => f.kind === 'unplaced' && !f.kept)
  // many of one kind are said once: what can be done is below them
  const grouped = lost.length > 2
  const shown = grouped ? all.filter((f) => !lost.includes(f)) : all
  return [
    grouped && (
      <VerdictCard
        key="unplaced"
        tone="failed"
        title={`${lost.length} scans have no place in the block`}
        evidence={lost.flatMap((f) => f.evidence)}
        meaning="The others are adjusted without them. Their points are not delivered until they are tied in."
      />
    ),
    ...shown.map((f) => (
      <VerdictCard
        key={f.key}
        tone={tone(f)}
        title={f.kept ? `Kept as it is: ${f.title}` : f.title}
        evidence={f.evidence}
        meaning={f.meaning}
      >
        {f.target && (
          <Button size="small" onClick={() => onShow(f.target!)}>
            Show {f.target}
          </Button>
        )}
        {r.open && <Ways finding={f} of={r} />}
        {r.edit && f.kind !== 'size' && f.kind !== 'unplaced' && (
          <Button size="small" type="text" onClick={() => r.keep.mutate(f)}>
            {f.kept ? 'Open again' : 'Keep as it is'}
          </Button>
        )}
      </VerdictCard>
    )),
  ]
}

/** The ways to settle a finding. */
function Ways({ finding: f, of: r }: { finding: Finding; of: Registration }) {
  if (f.kind === 'outlier')
    return (
      <Button size="small" type="primary" onClick={() => r.decide.mutate({ ids: f.after, excluded: true })}>
        Leave it out
      </Button>
    )
  if (f.kind !== 'moved' && f.kind !== 'tripod') return null
  return (
    <>
      {f.kind === 'moved' && (
        <Button size="small" type="primary" onClick={() => r.decide.mutate({ ids: f.after, part: 1 })}>
          Treat as two targets
        </Button>
      )}
      <Button size="small" onClick={() => r.decide.mutate({ ids: f.after, excluded: true })}>
        Leave out the {f.after.length} after
      </Button>
      <Button size="small" onClick={() => r.decide.mutate({ ids: f.before, excluded: true })}>
        Leave out the {f.before.length} before
      </Button>
    </>
  )
}
