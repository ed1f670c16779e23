import { Button, Checkbox, Input } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { type Item, useChange, useJob } from '../lib/hooks'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'

/** The simulated scanner: which stations to take, and an instrument height for each. */
export function Scanner({ stations, taken }: { stations: Item[]; taken: Set<string | null | undefined> }) {
  const job = useJob()
  const [picked, setPicked] = useState<string[]>([])
  const [operator, setOperator] = useState('')
  const [heights, setHeights] = useState<Record<string, number | null>>({})
  const [note, setNote] = useState('')
  const start = useChange(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/field/scan', {
          params: { path: { job: job.id } },
          body: { stations: picked, operator, instrument_height: null, heights, note },
        }),
      ),
    () => setPicked([]),
  )
  const name = (id: string) => stations.find((s) => s.id === id)?.data.name ?? ''
  return (
    <>
      <Head aside="a simulated instrument: its minutes run faster than life">Scanner</Head>
      {stations.length === 0 && <p className="empty">No stations on the plan yet.</p>}
      {stations.length > 0 && (
        <>
          <div className="bar" role="group" aria-label="Stations to scan">
            {stations.map((s) => (
              <Checkbox
                key={s.id}
                checked={picked.includes(s.id)}
                onChange={(e) => setPicked(e.target.checked ? [...picked, s.id] : picked.filter((x) => x !== s.id))}
              >
                {s.data.name}
                {taken.has(s.id) ? ' ✓' : ''}
              </Checkbox>
            ))}
            <Button size="small" onClick={() => setPicked(stations.filter((s) => !taken.has(s.id)).map((s) => s.id))}>
              All not yet taken
            </Button>
          </div>
          {picked.length > 0 && (
            <div className="bar" role="group" aria-label="Instrument heights">
              {picked.map((id) => (
                <span key={id} className="height-of">
                  <span className="faint">height at {name(id)}</span>
                  <LengthInput
                    label={`Instrument height at ${name(id)}`}
                    value={heights[id]}
                    onChange={(v) => setHeights({ ...heights, [id]: v })}
                  />
                </span>
              ))}
            </div>
          )}
          <div className="bar">
            <Input
              aria-label="Operator"
              placeholder="Operator"
              value={operator}
              onChange={(e) => setOperator(e.target.value)}
              style={{ width: 190 }}
            />
            <Input
              aria-label="Note"
              placeholder="Note"
              value={note}
              onChange={(e) => setNote(e.target.value)}
              style={{ width: 280 }}
            />
            <Button
              type="primary"
              disabled={picked.length === 0 || !operator.trim()}
              loading={start.isPending}
              onClick={() => start.mutate(undefined)}
            >
              Scan {picked.length || ''} station{picked.length === 1 ? '' : 's'}
            </Button>
          </div>
          {picked.length > 0 && !operator.trim() && <p className="faint">Say who operates the scanner to begin.</p>}
        </>
      )}
    </>
  )
}
