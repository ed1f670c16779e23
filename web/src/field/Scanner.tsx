import { Button, Checkbox, Input } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { type Item, useChange, useJob } from '../lib/hooks'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { field as words } from '../words'

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
      <Head aside={words.aSimulatedInstrumentIts}>{words.scanner}</Head>
      {stations.length === 0 && <p className="empty">{words.noStationsOnThe}</p>}
      {stations.length > 0 && (
        <>
          <div className="bar" role="group" aria-label={words.stationsToScan}>
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
              {words.allNotYetTaken}
            </Button>
          </div>
          {picked.length > 0 && (
            <div className="bar" role="group" aria-label={words.instrumentHeights}>
              {picked.map((id) => (
                <span key={id} className="height-of">
                  <span className="faint">{words.heightAt(name(id))}</span>
                  <LengthInput
                    label={words.instrumentHeightAt(name(id))}
                    value={heights[id]}
                    onChange={(v) => setHeights({ ...heights, [id]: v })}
                  />
                </span>
              ))}
            </div>
          )}
          <div className="bar">
            <Input
              aria-label={words.operator}
              placeholder={words.operator}
              value={operator}
              onChange={(e) => setOperator(e.target.value)}
              style={{ width: 190 }}
            />
            <Input
              aria-label={words.note}
              placeholder={words.note}
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
              {words.scanStations(picked.length)}
            </Button>
          </div>
          {picked.length > 0 && !operator.trim() && <p className="faint">{words.sayWhoOperatesThe}</p>}
        </>
      )}
    </>
  )
}
