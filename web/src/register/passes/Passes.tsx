import { Button } from 'antd'
import type { Schema } from '../../api/client'
import { ago, num } from '../../lib/format'
import { canEdit } from '../../lib/hooks'
import { Head, States } from '../../parts'
import { Tasks } from '../../shell/Tasks'
import { register as words } from '../../words'
import { NewPass } from './NewPass'
import { PassCard } from './PassCard'
import { usePasses } from './usePasses'

function said(walked: Schema['WalkedDto'] | null | undefined) {
  if (!walked) return ''
  return walked.stale ? words.passesStale : words.registeredAgo(ago(walked.at))
}

/** Walks of a mobile unit: brought with their paths, tied to the scans and to themselves, their drift seen and taken out. */
export function Passes() {
  const of = usePasses()
  const edit = canEdit(of.job)
  const all = of.read.data
  const ready = all?.passes.some((p) => p.facts)
  const walked = all?.walked
  return (
    <>
      <Head aside={said(walked)}>{words.passes}</Head>
      <States of={of.read} what={words.thePasses}>
        {all && (
          <>
            {all.passes.length === 0 && <p className="empty">{words.noPassYet}</p>}
            {edit && (
              <div className="bar">
                {ready && (
                  <Button
                    type={!walked || walked.stale ? 'primary' : 'default'}
                    loading={of.running || of.run.isPending}
                    onClick={() => of.run.mutate(undefined)}
                  >
                    {words.tieAndCorrect}
                  </Button>
                )}
              </div>
            )}
            <Tasks kinds={['pass', 'walks']} ended={1} />
            {walked && walked.drifted > 0 && (
              <p className="faint">{words.unitsDrifted(num(walked.drifted, 2), walked.frame)}</p>
            )}
            {all.passes.map((p) => (
              <PassCard key={p.id} pass={p} of={of} edit={edit} all={all} />
            ))}
            {edit && <NewPass of={of} units={all.units} />}
          </>
        )}
      </States>
    </>
  )
}
