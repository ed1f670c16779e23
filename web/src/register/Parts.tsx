import { Button } from 'antd'
import { useRead } from '../lib/hooks'
import { VerdictCard } from '../parts'
import type { Two } from './hand/ByHand'
import { register as words } from '../words'

/** Scans that hang together apart from the others: they are not forced onto one another, somebody joins them. */
export function Parts({ onHand }: { onHand: (two: Two) => void }) {
  const parts = useRead('/api/jobs/{job}/cloud-ties/parts')
  const all = parts.data ?? []
  // before anything hangs together there is nothing to join
  const [first, ...others] = all
  if (!first || others.length === 0 || first.scans.length < 2) return null
  const list = (names: string[]) =>
    names.length > 8 ? `${names.slice(0, 8).join(', ')} and ${names.length - 8} more` : names.join(', ')
  return (
    <VerdictCard
      tone="doubtful"
      title={words.theScansFallInto(all.length)}
      evidence={all.slice(0, 6).map((p) => `${list(p.names)}${p.registered ? words.theBlock : ''}`)}
      meaning={words.nothingThatIsSound}
    >
      {others.slice(0, 5).map((p) => (
        <Button key={p.scans[0]} size="small" onClick={() => onHand({ a: first.scans.at(-1)!, b: p.scans[0]! })}>
          {words.join}
          {p.names[0]}
          {p.scans.length > 1 && words.andMore(p.scans.length - 1)}
          {words.byHand2}
        </Button>
      ))}
    </VerdictCard>
  )
}
