import { Button, InputNumber, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { span } from '../../lib/format'
import { useAsk, useJob } from '../../lib/hooks'
import { Head } from '../../parts'
import { LengthInput } from '../../parts/LengthInput'
import { walks as words } from '../../words'
import { lastUnit, walksOf } from '../drawing'
import { Field } from '../item/fields'
import type { Change, Item } from '../usePlan'
import type { useWalks } from './useWalks'

/** Where walks begin when nobody says: where the first one does, else at the first station, else in the first corner. */
function usualStart(items: Item[]): [number, number] {
  const walk = items.find((i) => i.kind === 'walk')?.data.line?.[0]
  const station = items.find((i) => i.kind === 'station')?.data.position
  const [x = 0, y = 0] = walk ?? station ?? items.find((i) => i.data.line?.length)?.data.line?.[0] ?? []
  return [x, y]
}

/** Walks proposed by the machine: through the rooms and back, or over an area in strips; shown before they are taken. */
export function ProposeWalks({
  of,
  items,
  onApply,
}: {
  of: ReturnType<typeof useWalks>
  items: Item[]
  onApply: (c: Change[]) => void
}) {
  const job = useJob()
  const [unit, setUnit] = useState(() => lastUnit(items))
  const [start, setStart] = useState<[number, number] | null>(null)
  const [sweep, setSweep] = useState('')
  const [swath, setSwath] = useState<number | null>(null)
  const [overlap, setOverlap] = useState(30)
  const from = start ?? usualStart(items)
  const floor = items.find((i) => i.kind === 'walk')?.data.base ?? 0
  const ask = useAsk(
    async (wish: Schema['ProposeWalksRequest']) =>
      unwrap(await api.POST('/api/jobs/{job}/plan/walks/propose', { params: { path: { job: job.id } }, body: wish })),
    (found) => of.setProposal({ found, unit, floor }),
  )
  const { proposal } = of
  const take = () => {
    if (!proposal) return
    const like = { name: '', base: proposal.floor, top: proposal.floor, position: [0, 0, 0], unit: proposal.unit }
    onApply(walksOf(items, proposal.found.lines, like))
    of.setProposal(null)
  }
  const areas = items.filter((i) => i.kind === 'area' || i.kind === 'floor')
  return (
    <>
      <Head>{words.propose}</Head>
      <form
        className="fields"
        style={{ gridTemplateColumns: 'repeat(3, 1fr)' }}
        onSubmit={(e) => {
          e.preventDefault()
          const strips = sweep ? { sweep, swath, overlap: overlap / 100 } : {}
          ask.mutate({ unit, start: from, floor, ...strips })
        }}
      >
        <Field name={words.unit}>
          <Select
            aria-label={words.unit}
            value={unit}
            style={{ width: '100%' }}
            onChange={setUnit}
            options={(of.read.data?.units ?? []).map((x) => ({ value: x.name }))}
          />
        </Field>
        <Field name={words.beginsX}>
          <LengthInput label={words.beginsX} value={from[0]} digits={1} onChange={(v) => setStart([v ?? 0, from[1]])} />
        </Field>
        <Field name={words.beginsY}>
          <LengthInput label={words.beginsY} value={from[1]} digits={1} onChange={(v) => setStart([from[0], v ?? 0])} />
        </Field>
        <Field name={words.area}>
          <Select
            aria-label={words.area}
            value={sweep}
            style={{ width: '100%' }}
            onChange={setSweep}
            options={[{ value: '', label: words.rooms }, ...areas.map((a) => ({ value: a.id, label: a.data.name }))]}
          />
        </Field>
        {sweep && (
          <>
            <Field name={words.swath}>
              <LengthInput label={words.swath} value={swath} onChange={setSwath} />
            </Field>
            <Field name={words.overlap}>
              <InputNumber
                aria-label={words.overlap}
                value={overlap}
                min={0}
                max={80}
                suffix="%"
                controls={false}
                style={{ width: '100%' }}
                onChange={(v) => setOverlap(v ?? 30)}
              />
            </Field>
          </>
        )}
        <div className="field" style={{ alignSelf: 'end' }}>
          <Button type="primary" htmlType="submit" loading={ask.isPending}>
            {words.proposeIt}
          </Button>
        </div>
      </form>
      {proposal && (
        <>
          <p aria-live="polite">{proposal.found.said}</p>
          <ol className="helps">
            {proposal.found.seconds.map((s, k) => (
              <li key={k}>{span(s)}</li>
            ))}
          </ol>
          <div className="bar">
            <Button type="primary" onClick={take}>
              {words.take}
            </Button>
            <Button onClick={() => of.setProposal(null)}>{words.hide}</Button>
          </div>
        </>
      )}
    </>
  )
}
