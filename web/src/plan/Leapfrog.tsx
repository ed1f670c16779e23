import { Button, InputNumber } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { angle } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head, Ledger } from '../parts'
import { carried } from './carried'
import type { Change, Item } from './usePlan'
import { plan as words } from '../words'

/** Open ground: which spheres stay and which are carried at every move. */
export function Leapfrog({
  items,
  order,
  onMoves,
  onApply,
}: {
  items: Item[]
  order: string[]
  onMoves: (m: Schema['MoveDto'][]) => void
  onApply: (c: Change[]) => void
}) {
  const job = useJob()
  const u = useUnits()
  const [spheres, setSpheres] = useState(6)
  const [moves, setMoves] = useState<Schema['MoveDto'][]>([])
  const run = useChange(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/plan/leapfrog', {
          params: { path: { job: job.id } },
          body: { stations: [], spheres },
        }),
      ),
    (m) => {
      setMoves(m)
      onMoves(m)
    },
  )
  const take = () => onApply(carried(moves, items))
  return (
    <>
      <Head aside={words.stationsInOrder(order.length)}>{words.leapfrogOverOpenGround}</Head>
      <form
        className="fields"
        style={{ gridTemplateColumns: 'repeat(3, 1fr)' }}
        onSubmit={(e) => {
          e.preventDefault()
          run.mutate(undefined)
        }}
      >
        <div className="field">
          <span className="label">{words.spheresInStock}</span>
          <InputNumber
            aria-label={words.spheresInStock}
            value={spheres}
            min={4}
            max={40}
            precision={0}
            controls={false}
            style={{ width: '100%' }}
            onChange={(v) => setSpheres(v ?? 6)}
          />
        </div>
        <div className="field" style={{ alignSelf: 'end' }}>
          <Button type="primary" htmlType="submit" loading={run.isPending} disabled={order.length < 2}>
            {words.planTheMoves}
          </Button>
        </div>
        {moves.length > 0 && canEdit(job) && (
          <div className="field" style={{ alignSelf: 'end' }}>
            <Button onClick={take}>{words.putTheseOnThe}</Button>
          </div>
        )}
      </form>
      <p className="faint">{words.atEveryStationThe(order.join(' '))}</p>
      {moves.length > 0 && (
        <Ledger
          label={words.carryingList}
          rows={moves}
          id={(m) => m.station}
          empty=""
          tone={(m) => (m.faults.length ? 'bad' : undefined)}
          columns={[
            { head: words.at, cell: (m) => m.station },
            { head: words.stay, cell: (m) => m.stay.join(' ') || '–' },
            {
              head: words.carryToFromThe,
              cell: (m) =>
                m.carry.map((c) => (
                  <div key={c.sphere}>
                    {words.atSphere(c.sphere, u.len(c.distance, 1), u.code, angle(c.bearing, true))}
                  </div>
                )),
            },
            { head: <>{words.tie95(u.small)}</>, num: true, cell: (m) => u.err(m.tie95) },
            { head: '', cell: (m) => m.faults.join(', ') },
          ]}
        />
      )}
    </>
  )
}
