import { Button, Input } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { count, plural } from '../lib/count'
import { ago, num } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Caution, Head, Ledger, States } from '../parts'
import { Tasks } from '../shell/Tasks'
import { check as words } from '../words'
import { PairCard } from './PairCard'

type Compared = Schema['ComparisonsDto']
type Thing = Schema['ChangedThingDto']

/** The scans against one another: what lies twice, what came, went or was moved. */
export function Compare() {
  const job = useJob()
  const compared = useRead('/api/jobs/{job}/comparison')
  const run = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/comparison', { params: { path: { job: job.id } } })),
  )
  const data = compared.data
  const some = !!data && (data.pairs.length > 0 || data.things.length > 0)
  const open = !!data && some && data.to_do > 0
  return (
    <>
      <Head aside={open ? words.notComparedSince(plural(data.to_do, 'pair')) : ''}>{words.scansAgainstScans}</Head>
      <States of={compared} what={words.theComparison}>
        {canEdit(job) && (
          <div className="bar">
            <Button
              type={open || !some ? 'primary' : 'default'}
              loading={run.isPending}
              onClick={() => run.mutate(undefined)}
            >
              {some ? words.compareAgain : words.compareTheScans}
            </Button>
          </div>
        )}
        <Tasks kinds={['compare']} ended={1} />
        {data && !some && <p className="empty">{words.notComparedYet}</p>}
        {some && <Results data={data} />}
      </States>
    </>
  )
}

function Results({ data }: { data: Compared }) {
  const [chosen, setChosen] = useState<string | null>(null)
  const pair = data.pairs.find((p) => p.id === chosen)
  const places = data.pairs.reduce((n, p) => n + p.places, 0)
  const beyond = data.pairs.reduce((n, p) => n + p.places * p.beyond, 0)
  return (
    <>
      <p>
        {words.comparedAt(
          plural(data.pairs.length, 'pair'),
          plural(places, 'place'),
          `${num((100 * beyond) / Math.max(places, 1), 1)} %`,
        )}
      </p>
      <Things things={data.things} frame={data.frame} />
      <Pairs data={data} chosen={chosen} onChoose={setChosen} />
      {pair && <PairCard key={pair.id} pair={pair} onClose={() => setChosen(null)} />}
      <Caution>{words.toldFromNoise}</Caution>
    </>
  )
}

/** Pairs of scans, the worst first. */
function Pairs(p: { data: Compared; chosen: string | null; onChoose: (id: string | null) => void }) {
  const u = useUnits()
  const rows = [...p.data.pairs].sort(
    (x, y) => (y.misfit?.[0] ?? 0) - (x.misfit?.[0] ?? 0) || y.regions - x.regions || y.beyond - x.beyond,
  )
  return (
    <Ledger
      label={words.pairsCompared}
      rows={rows}
      id={(r) => r.id}
      selected={p.chosen}
      onSelect={p.onChoose}
      empty={words.nothingShared}
      tone={(r) => (r.misfit ? 'bad' : undefined)}
      columns={[
        { head: words.pair, cell: (r) => `${r.a}–${r.b}` },
        { head: '', cell: (r) => (r.stale ? words.outOfDate : r.said) },
        { head: words.placesOf, num: true, cell: (r) => count(r.places), value: (r) => r.places },
        {
          head: words.distance(u.small),
          num: true,
          cell: (r) => u.err(r.distance),
          value: (r) => r.distance / u.smallMetres,
        },
        {
          head: words.detectable(u.small),
          num: true,
          cell: (r) => u.err(r.detectable),
          value: (r) => r.detectable / u.smallMetres,
        },
        { head: words.beyond, num: true, cell: (r) => num(100 * r.beyond, 1), value: (r) => 100 * r.beyond },
        {
          head: words.apartAsAWhole(u.small),
          num: true,
          cell: (r) => (r.misfit ? u.within(r.misfit[0], r.misfit[1]) : '–'),
          value: (r) => (r.misfit?.[0] ?? 0) / u.smallMetres,
        },
        { head: words.regionsOf, num: true, cell: (r) => count(r.regions), value: (r) => r.regions },
      ]}
    />
  )
}

/** What came, went, was moved, or lies twice: each is looked at by somebody, who says what it was. */
function Things({ things, frame }: { things: Thing[]; frame: string }) {
  const u = useUnits()
  if (things.length === 0) return <p className="empty">{words.nothingChanged}</p>
  const [e, n, h] = frame === 'grid' ? [words.easting, words.northing, words.height] : ['x', 'y', 'z']
  return (
    <div className="ledger-box">
      <table className="ledger" aria-label={words.thingsThatChanged}>
        <thead>
          <tr>
            <th scope="col">{words.changed}</th>
            {[e, n, h].map((axis) => (
              <th key={axis} scope="col" className="num">
                {words.inCoordinates(u.code, axis)}
              </th>
            ))}
            <th scope="col" className="num">
              {words.size(u.code)}
            </th>
            <th scope="col" className="num">
              {words.apart(u.small)}
            </th>
            <th scope="col" style={{ width: 270 }}>
              {words.whoLooked}
            </th>
          </tr>
        </thead>
        <tbody>
          {things.map((t) => (
            <tr key={t.key}>
              <td style={{ whiteSpace: 'normal' }}>
                {t.said}{' '}
                <span className="faint">
                  {t.pairs.slice(0, 4).join(', ') + (t.pairs.length > 4 ? ` +${t.pairs.length - 4}` : '')}
                </span>
              </td>
              {t.position.map((v, k) => (
                <td key={k} className="num">
                  {u.len(v, 2)}
                </td>
              ))}
              <td className="num">{u.len(2 * t.reach, 1)}</td>
              <td className="num">{t.distance == null ? '–' : u.within(Math.abs(t.distance), t.detectable)}</td>
              <td>
                <Looked thing={t} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

function Looked({ thing: t }: { thing: Thing }) {
  const job = useJob()
  const [note, setNote] = useState('')
  const look = useChange(async (looked: boolean) =>
    unwrap(
      await api.PUT('/api/jobs/{job}/comparison/things', {
        params: { path: { job: job.id } },
        body: { key: t.key, looked, note: looked ? note : '' },
      }),
    ),
  )
  if (t.looked)
    return (
      <>
        {words.lookedAtBy(t.looked.by, ago(t.looked.at), t.looked.note)}{' '}
        <button type="button" className="link" onClick={() => look.mutate(false)}>
          {words.takeItBack}
        </button>
      </>
    )
  return (
    <form
      className="in-row"
      onSubmit={(e) => {
        e.preventDefault()
        look.mutate(true)
      }}
    >
      <Input
        size="small"
        aria-label={words.whatItWas}
        placeholder={words.whatItWas}
        maxLength={400}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      <Button size="small" htmlType="submit" loading={look.isPending}>
        {words.lookedAt}
      </Button>
    </form>
  )
}
