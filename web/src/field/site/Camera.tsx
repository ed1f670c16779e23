import { Button, Checkbox, Input, InputNumber } from 'antd'
import { useState } from 'react'
import type { Schema } from '../../api/client'
import { num, span, when } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { field as words } from '../../words'
import type { Entry } from './journal'
import type { Journal } from './useJournal'

type Room = Schema['RoomWord']
const ROOM: Room[] = ['closed', 'textured', 'still', 'empty']

/** Checks of how the camera sits: whether each holds, and which stations were photographed under it. What photographs cost. */
export function Camera({
  journal,
  edit,
  costs,
  stations,
}: {
  journal: Journal
  edit: boolean
  costs: Schema['CameraCostDto'][]
  stations: { id: string; name: string }[]
}) {
  const done = journal.entries
    .filter((e) => e.stands && e.fact.kind === 'camera')
    .sort((a, b) => b.at.localeCompare(a.at))
  const [writing, setWriting] = useState(false)
  return (
    <details className="site-part">
      <summary>
        <Head aside={done.length ? words.checkedTimes(done.length) : words.notChecked}>{words.cameraCheck}</Head>
      </summary>
      <p>{words.cameraLayout}</p>
      <Costs costs={costs} />
      {edit && !writing && <Button onClick={() => setWriting(true)}>{words.checkCamera}</Button>}
      {edit && writing && <NewCheck journal={journal} onDone={() => setWriting(false)} />}
      {done.map((e, k) => (
        <Result key={e.id} entry={e} under={under(journal.entries, e, done[k - 1], stations)} />
      ))}
    </details>
  )
}

/** Stations that were photographed after this check and before the next, by name. */
export function under(all: Entry[], check: Entry, next: Entry | undefined, stations: { id: string; name: string }[]) {
  const photographed = all.filter(
    (e) =>
      e.stands &&
      e.fact.kind === 'visit' &&
      e.fact.data.settings?.photographs &&
      e.at >= check.at &&
      (!next || e.at < next.at),
  )
  return photographed.flatMap((e) => {
    const id = e.fact.kind === 'visit' ? e.fact.data.station : ''
    return stations.find((s) => s.id === id)?.name ?? []
  })
}

function Costs({ costs }: { costs: Schema['CameraCostDto'][] }) {
  const u = useUnits()
  return (
    <table className="ledger" aria-label={words.photographsCost}>
      <thead>
        <tr>
          <th>{words.camera}</th>
          <th className="num">{words.exposuresText}</th>
          <th className="num">{words.eachStation}</th>
          <th className="num">{words.pixelAt(u.len(10, 0), u.code, u.small)}</th>
          <th className="num">{words.floorWithoutColour(u.code)}</th>
          <th className="num">{words.besideLaser(u.small)}</th>
        </tr>
      </thead>
      <tbody>
        {costs.map((c) => (
          <tr key={`${c.added} ${c.exposures}`}>
            <td>{c.added ? words.onTop : words.builtIn}</td>
            <td className="num">{c.exposures}</td>
            <td className="num">{span(c.seconds)}</td>
            <td className="num">{u.err(c.pixel)}</td>
            <td className="num">{u.len(c.uncoloured, 2)}</td>
            <td className="num">{u.err(c.beside)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function NewCheck({ journal, onDone }: { journal: Journal; onDone: () => void }) {
  const [mounting, setMounting] = useState('')
  const [room, setRoom] = useState<Room[]>([])
  const [off, setOff] = useState<number | null>(null)
  const save = async () => {
    const data = { id: crypto.randomUUID(), mounting: mounting.trim(), room, off }
    if (await journal.note({ kind: 'camera', data })) onDone()
  }
  return (
    <form
      className="site-form"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <div className="fields">
        <label className="field">
          <span className="label">{words.mounting}</span>
          <Input aria-label={words.mounting} value={mounting} onChange={(e) => setMounting(e.target.value)} />
        </label>
        <label className="field">
          <span className="label">{words.coloursOff}</span>
          <InputNumber
            aria-label={words.coloursOff}
            controls={false}
            min={0}
            suffix="px"
            value={off}
            onChange={setOff}
          />
        </label>
      </div>
      <div className="bar">
        {ROOM.map((r) => (
          <Checkbox
            key={r}
            checked={room.includes(r)}
            onChange={(e) => setRoom(e.target.checked ? [...room, r] : room.filter((x) => x !== r))}
          >
            {words.rooms[r]}
          </Checkbox>
        ))}
      </div>
      <div className="bar">
        <Button type="primary" htmlType="submit" disabled={!mounting.trim()}>
          {words.keepAndJudge}
        </Button>
        <Button onClick={onDone}>{words.back}</Button>
      </div>
    </form>
  )
}

function Result({ entry: e, under }: { entry: Entry; under: string[] }) {
  if (e.fact.kind !== 'camera') return null
  const c = e.fact.data
  const valid = e.camera?.length === 0
  return (
    <section className="site-check-result" aria-label={words.cameraOf(c.mounting)}>
      <h3>
        {e.camera && <b aria-hidden="true">{valid ? '●' : '×'} </b>}
        {words.cameraOf(c.mounting)}{' '}
        <span className="faint">
          {e.by}, {when(e.at)}
          {c.off != null && `, ${num(c.off, 1)} px`}
        </span>
      </h3>
      {!e.camera && <p className="faint">{words.judgedWhenSent}</p>}
      {valid && <p>{words.cameraHolds}</p>}
      {e.camera?.map((s) => (
        <p key={s} className="warn">
          {s}
        </p>
      ))}
      <p className={under.length > 0 && e.camera && !valid ? 'warn' : 'faint'}>
        {under.length > 0 ? words.photographedUnder(under.join(', ')) : words.nothingUnder}
      </p>
    </section>
  )
}
