import { Button } from 'antd'
import type { Schema } from '../api/client'
import { VerdictCard } from '../parts'
import { Consequence } from './Otherwise'
import type { Registration } from './useRegistration'
import { register as words } from '../words'

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
        title={words.scansHaveNoPlace(lost.length)}
        evidence={lost.flatMap((f) => f.evidence)}
        meaning={words.theOthersAreAdjusted}
      />
    ),
    ...shown.map((f) => (
      <VerdictCard
        key={f.key}
        tone={tone(f)}
        title={f.kept ? words.keptAsItIs(f.title) : f.title}
        evidence={f.evidence}
        meaning={f.meaning}
      >
        {f.target && (
          <Button size="small" onClick={() => onShow(f.target!)}>
            {words.show(f.target)}
          </Button>
        )}
        {r.open && <Ways finding={f} of={r} />}
        {r.edit && f.kind !== 'size' && f.kind !== 'unplaced' && (
          <Button size="small" type="text" onClick={() => r.keep.mutate(f)}>
            {f.kept ? words.openAgain : words.keepAsItIs}
          </Button>
        )}
      </VerdictCard>
    )),
  ]
}

/** A way to settle a finding. */
interface Way {
  name: string
  choice: { ids: string[]; excluded?: boolean; part?: number }
  first: boolean
}

function waysOf(f: Finding): Way[] {
  const out = (ids: string[], name: string, first = false): Way => ({ name, choice: { ids, excluded: true }, first })
  if (f.kind === 'outlier') return [out(f.after, words.leaveItOut, true)]
  if (f.kind !== 'moved' && f.kind !== 'tripod') return []
  return [
    ...(f.kind === 'moved' ? [{ name: words.treatAsTwoTargets, choice: { ids: f.after, part: 1 }, first: true }] : []),
    out(f.after, words.leaveOutTheAfter(f.after.length)),
    out(f.before, words.leaveOutTheBefore(f.before.length)),
  ].filter((w) => w.choice.ids.length > 0)
}

/** The ways to settle a finding, each with what it would change. */
function Ways({ finding: f, of: r }: { finding: Finding; of: Registration }) {
  const ways = waysOf(f)
  return (
    <>
      {ways.map((w) => (
        <Button
          key={w.name}
          size="small"
          type={w.first ? 'primary' : 'default'}
          onClick={() => r.decide.mutate(w.choice)}
        >
          {w.name}
        </Button>
      ))}
      {!f.kept && (
        <div className="consequences">
          {ways.map((w) => (
            <Consequence key={w.name} choice={w.choice} head={w.name} at={r.adjustment?.id} />
          ))}
        </div>
      )}
    </>
  )
}
