import { Button, InputNumber } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import type { CloudTarget, CloudTie } from '../cloud/marks'
import { count } from '../lib/count'
import { ago, num } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { Caution, Head, States } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { Tasks } from '../shell/Tasks'
import { SmallTable } from '../parts/SmallTable'
import { check as words } from '../words'

type Cleaning = Schema['CleaningDto']
type Step = Schema['CleaningStepDto']
type What = Schema['CleanDto']['what']
const NO_TARGETS: CloudTarget[] = []
const NO_TIES: CloudTie[] = []
const WHAT: Record<What, string> = {
  stray: words.strays,
  moved: words.whatMoved,
  box: words.inABox,
  outline: words.inAnOutline,
  behind: words.behindASlice,
  gate: words.outsideLimits,
  mirror: words.seenInMirrors,
}

/** What does not belong into the clouds: looked for, shown, counted, undone. Nothing is deleted. */
export function Clean() {
  const job = useJob()
  const edit = canEdit(job)
  const cleaning = useRead('/api/jobs/{job}/cleaning')
  const [seen, setSeen] = useState(false)
  const at = { params: { path: { job: job.id } } }
  const ask = useChange(async (body: Schema['CleanDto']) =>
    unwrap(await api.POST('/api/jobs/{job}/cleaning', { ...at, body })),
  )
  const turn = useChange(async (s: Step) =>
    unwrap(
      await api.PUT('/api/jobs/{job}/cleaning/{step}', {
        params: { path: { job: job.id, step: s.id } },
        body: { active: !s.active, version: s.version },
      }),
    ),
  )
  const data = cleaning.data
  const looks = (what: What) => data?.steps.some((s) => s.asked.what === what && s.active)
  return (
    <>
      <Head aside={data?.stale ? words.notLookedAtSince : ''}>{words.whatDoesNotBelong}</Head>
      <States of={cleaning} what={words.theCleaning}>
        {edit && (
          <div className="bar">
            <Button
              type={looks('moved') && !data?.stale ? 'default' : 'primary'}
              loading={ask.isPending}
              onClick={() => ask.mutate({ what: 'moved', options: {} })}
            >
              {words.lookForWhatMoved}
            </Button>
            <Button loading={ask.isPending} onClick={() => ask.mutate({ what: 'stray', options: {} })}>
              {words.lookForStrays}
            </Button>
            <Button loading={ask.isPending} onClick={() => ask.mutate({ what: 'mirror', options: {} })}>
              {words.lookForMirrors}
            </Button>
            {!!data?.scans.length && (
              <Button aria-pressed={seen} onClick={() => setSeen(!seen)}>
                {seen ? words.hideTheCloud : words.seeIt}
              </Button>
            )}
          </div>
        )}
        {edit && <Gate onAsk={(options) => ask.mutate({ what: 'gate', options })} />}
        <Tasks kinds={['clean']} ended={1} />
        {data && data.steps.length === 0 && <p className="empty">{words.nothingTakenOut}</p>}
        {data && data.steps.length > 0 && (
          <ul className="steps" aria-label={words.stepsOfCleaning}>
            {data.steps.map((s) => (
              <li key={s.id} data-active={s.active}>
                <b>{WHAT[s.asked.what]}</b> <span className="faint">{words.askedBy(s.by, ago(s.at))}</span>
                {edit && (
                  <Button size="small" loading={turn.isPending} onClick={() => turn.mutate(s)}>
                    {s.active ? words.undoIt : words.doItAgain}
                  </Button>
                )}
              </li>
            ))}
          </ul>
        )}
        {!!data?.scans.length && <Counts data={data} />}
        {seen && !!data?.scans.length && <p className="faint">{words.markedHow}</p>}
        {seen && !!data?.scans.length && (
          <div className="clean-cloud">
            <CloudView
              targets={NO_TARGETS}
              ties={NO_TIES}
              selected={null}
              onBox={edit ? (options) => ask.mutate({ what: 'box', options }) : undefined}
            />
          </div>
        )}
        {!!data?.scans.length && <Caution>{words.whatIsTakenOutIsThere}</Caution>}
      </States>
    </>
  )
}

/** Ranges and intensities that stay. */
function Gate({ onAsk }: { onAsk: (o: Schema['CleanGateDto']) => void }) {
  const [near, setNear] = useState<number | null>(0.5)
  const [far, setFar] = useState<number | null>(100)
  const [faint, setFaint] = useState<number | null>(0)
  const [bright, setBright] = useState<number | null>(100)
  const sound = near != null && far != null && near < far && faint != null && bright != null && faint < bright
  const percent = (label: string, value: number | null, set: (v: number | null) => void) => (
    <InputNumber
      aria-label={label}
      value={value}
      onChange={set}
      min={0}
      max={100}
      controls={false}
      suffix="%"
      style={{ width: 84 }}
    />
  )
  return (
    <form
      className="bar"
      aria-label={words.limitsOfRange}
      onSubmit={(e) => {
        e.preventDefault()
        if (sound) onAsk({ range: [near, far], intensity: [faint / 100, bright / 100] })
      }}
    >
      {words.rangeFrom}
      <span style={{ width: 104 }}>
        <LengthInput label={words.nearest} value={near} onChange={setNear} digits={1} />
      </span>
      {words.upTo}
      <span style={{ width: 104 }}>
        <LengthInput label={words.farthest} value={far} onChange={setFar} digits={1} />
      </span>
      {words.intensityFrom}
      {percent(words.faintest, faint, setFaint)}
      {words.upTo}
      {percent(words.brightest, bright, setBright)}
      <Button htmlType="submit" disabled={!sound}>
        {words.takeOutTheRest}
      </Button>
    </form>
  )
}

const KINDS = ['moved', 'edge', 'single', 'ghost', 'chosen'] as const

/** Points of each scan by what they are taken for. */
function Counts({ data }: { data: Cleaning }) {
  const all = data.scans.reduce((n, s) => n + s.points, 0)
  const out = data.scans.reduce((n, s) => n + KINDS.reduce((m, k) => m + s[k], 0), 0)
  const share = (n: number, of: number) => `${num((100 * n) / Math.max(of, 1), 2)} %`
  return (
    <>
      <p>{words.takenOut(count(out), count(all), share(out, all))}</p>
      <div className="ledger-box">
        <SmallTable
          name={words.takenOutByScan}
          heads={[
            words.scan,
            { num: words.points },
            ...KINDS.map((k) => ({ num: words.kinds[k] })),
            { num: words.shareOut },
          ]}
          rows={data.scans.map((s) => ({
            key: s.id,
            cells: [
              <span key="name">
                {s.name} {s.stale && <span className="warn">{words.outOfDate}</span>}
              </span>,
              count(s.points),
              ...KINDS.map((k) => count(s[k])),
              share(
                KINDS.reduce((m, k) => m + s[k], 0),
                s.points,
              ),
            ],
          }))}
        />
      </div>
    </>
  )
}
