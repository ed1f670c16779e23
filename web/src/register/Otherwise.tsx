import { useQuery } from '@tanstack/react-query'
import { api, type Schema, unwrap } from '../api/client'
import { chance } from '../lib/format'
import { useJob } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { register as words } from '../words'

/** What another decision would change, said before it is taken. */
export function Otherwise({ of: o, head }: { of: Schema['OtherwiseDto']; head: string }) {
  const u = useUnits()
  const lost = o.unplaced_then.filter((s) => !o.unplaced.includes(s))
  const won = o.unplaced.filter((s) => !o.unplaced_then.includes(s))
  if (o.refused) return <p className="warn">{`${head}: ${o.refused}`}</p>
  const worst = (w: Schema['WorstDto'] | null | undefined) =>
    w ? `${u.err(w.spatial)} ${u.small} (${w.station})` : words.nonePlain
  return (
    <p className={lost.length ? 'warn' : 'otherwise'}>
      {words.weakestStation3D(head, worst(o.now), worst(o.then))}
      {chance(o.p) !== chance(o.p_then) && `; p ${chance(o.p)} → ${chance(o.p_then)}`}
      {o.findings_then !== o.findings && words.toDecide(o.findings, o.findings_then)}
      {lost.length > 0 && words.wouldHaveNoPlace(lost.join(', '))}
      {won.length > 0 && words.wouldFindAPlace(won.join(', '))}.
    </p>
  )
}

/** The same of a choice about observations; it is computed when it is looked at. */
export function Consequence({
  choice,
  head,
  at,
}: {
  choice: Schema['ChoiceDto']
  head: string
  at: string | undefined
}) {
  const job = useJob()
  const read = useQuery({
    queryKey: ['job', job.id, 'otherwise', at, choice],
    queryFn: async ({ signal }) =>
      unwrap(
        await api.POST('/api/jobs/{job}/adjustment/otherwise', {
          params: { path: { job: job.id } },
          body: choice,
          signal,
        }),
      ),
    staleTime: Infinity,
    retry: false,
  })
  if (read.isError) return null
  return read.data ? <Otherwise of={read.data} head={head} /> : <p className="faint">{head}: …</p>
}
