import { Button, Select } from 'antd'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { useChange, useJob } from '../lib/hooks'
import { LengthInput } from '../parts/LengthInput'
import { plan as words } from '../words'

/** A level slice of a cloud that is there already, laid under the plan in its place. */
export function SliceCloud() {
  const job = useJob()
  const [source, setSource] = useState(job.id)
  const [height, setHeight] = useState<number | null>(1.2)
  const [thickness, setThickness] = useState<number | null>(0.2)
  const jobs = useQuery({ queryKey: ['jobs'], queryFn: async () => unwrap(await api.GET('/api/jobs')) })
  const lay = useChange(async () =>
    unwrap(
      await api.POST('/api/jobs/{job}/plan/slice', {
        params: { path: { job: job.id }, query: { source, height: height ?? 0, thickness: thickness ?? 0.2 } },
      }),
    ),
  )
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        lay.mutate(undefined)
      }}
    >
      <label>
        {words.cloudOf}
        <Select
          aria-label={words.cloudOf}
          value={source}
          onChange={setSource}
          style={{ width: '100%' }}
          options={(jobs.data ?? [])
            .filter((j) => j.role !== 'client')
            .map((j) => ({ value: j.id, label: j.id === job.id ? words.thisJob2 : j.name }))}
        />
      </label>
      <div className="fields" style={{ gridTemplateColumns: '1fr 1fr' }}>
        <div className="field">
          <span className="label">{words.heightOnThePlan}</span>
          <LengthInput label={words.heightOfTheSlice} value={height} onChange={setHeight} />
        </div>
        <div className="field">
          <span className="label">{words.thickness}</span>
          <LengthInput label={words.thicknessOfTheSlice} value={thickness} onChange={setThickness} />
        </div>
      </div>
      <Button htmlType="submit" loading={lay.isPending}>
        {words.layASliceOf}
      </Button>
    </form>
  )
}
