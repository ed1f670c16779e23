import { Button, Input, Select } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { LengthInput } from '../parts/LengthInput'
import { draw as words } from '../words'
import type { Drawn } from './drawn'

const CUT = 1.25
const THICKNESS = 0.1

/** At which floor and height a plan is drawn; for a new one, or for one that is drawn again. */
export function NewPlan({
  floors,
  sheet,
  busy,
}: {
  floors: [number, number][]
  sheet: Drawn | undefined
  busy: boolean
}) {
  const job = useJob()
  const u = useUnits()
  const [first] = floors
  const level = sheet?.data.level
  const [floor, setFloor] = useState<number | null>(level?.[0] ?? (first ? Math.round(first[0] * 100) / 100 : null))
  const [cut, setCut] = useState<number | null>(level?.[1] ?? CUT)
  const [thickness, setThickness] = useState<number | null>(level?.[2] ?? THICKNESS)
  const [name, setName] = useState(sheet?.data.name ?? words.plan)
  const ask = useChange(async () =>
    unwrap(
      await api.POST('/api/jobs/{job}/drawing', {
        params: { path: { job: job.id } },
        body: { sheet: sheet?.id ?? null, name, floor: floor!, cut: cut!, thickness: thickness! },
      }),
    ),
  )
  if (!canEdit(job)) return null
  const length = (label: string, value: number | null, set: (v: number | null) => void, small = false) => (
    <label className="in-row">
      {label}
      <span style={{ width: 110 }}>
        <LengthInput dense label={label} value={value} onChange={set} small={small} digits={small ? 0 : 2} />
      </span>
    </label>
  )
  return (
    <div className="bar draw-form">
      <label className="in-row">
        {words.name}
        <Input
          size="small"
          style={{ width: 140 }}
          aria-label={words.name}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      {length(words.floorAt, floor, setFloor)}
      {floors.length > 1 && (
        <Select<number>
          size="small"
          aria-label={words.floors}
          value={floors.find((f) => f[0] === floor)?.[0]}
          onChange={setFloor}
          style={{ minWidth: 150 }}
          options={floors.map(([h, n]) => ({ value: h, label: words.floor(u.len(h, 2), u.code, n) }))}
        />
      )}
      {length(words.cutAbove, cut, setCut)}
      {length(words.thickness, thickness, setThickness, true)}
      <Button
        type={sheet ? 'default' : 'primary'}
        loading={busy || ask.isPending}
        disabled={floor == null || cut == null || thickness == null || !name.trim()}
        title={sheet ? words.drawAgainSays : undefined}
        onClick={() => ask.mutate(undefined)}
      >
        {sheet ? words.drawAgain : words.drawThePlan}
      </Button>
    </div>
  )
}
