import { Button, InputNumber } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { LengthInput } from '../parts/LengthInput'
import { draw as words } from '../words'

type Request = Schema['GroundRequest']
const FIRST: Request = { cell: 0.2, reach: 40, widest: 12, slope: 0.3, tolerance: 0.01, longest: 3 }
const LENGTHS = [
  ['cell', 2],
  ['reach', 0],
  ['widest', 1],
  ['tolerance', 3],
  ['longest', 1],
] as const

/** How the ground is looked for. */
export function FindGround({ last, busy }: { last: Request | undefined; busy: boolean }) {
  const job = useJob()
  const [asked, setAsked] = useState<{ [K in keyof Request]: number | null }>(last ?? FIRST)
  const find = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/ground', { params: { path: { job: job.id } }, body: asked as Request })),
  )
  if (!canEdit(job)) return null
  return (
    <div className="bar draw-form">
      {LENGTHS.map(([key, digits]) => (
        <label className="in-row" key={key}>
          {words[key]}
          <span style={{ width: 84 }}>
            <LengthInput
              dense
              label={words[key]}
              value={asked[key]}
              onChange={(v) => setAsked({ ...asked, [key]: v })}
              digits={digits}
            />
          </span>
        </label>
      ))}
      <label className="in-row">
        {words.steepest}
        <InputNumber
          size="small"
          aria-label={words.steepest}
          value={asked.slope == null ? null : Math.round(asked.slope * 100)}
          controls={false}
          style={{ width: 64 }}
          onChange={(v) => setAsked({ ...asked, slope: v == null ? null : v / 100 })}
        />
      </label>
      <Button
        type={last ? 'default' : 'primary'}
        loading={busy || find.isPending}
        disabled={Object.values(asked).some((v) => v == null)}
        title={last ? words.findSays : undefined}
        onClick={() => find.mutate(undefined)}
      >
        {last ? words.findAgain : words.findTheGround}
      </Button>
    </div>
  )
}
