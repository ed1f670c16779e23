import { Button, Input } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { ago } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Head, States } from '../parts'
import { check as words } from '../words'
import { SliceView } from './SliceView'
import type { Cut } from './slicing'

type Slice = Schema['SliceDto']

/** Slices through all scans: where doubt is greatest, and wherever one likes. Each is looked at by somebody. */
export function Slices() {
  const list = useRead('/api/jobs/{job}/slices')
  const data = list.data
  const chosen = data?.slices.filter((s) => s.chosen) ?? []
  const open = chosen.filter((s) => !s.looked).length
  return (
    <>
      <Head aside={chosen.length > 0 ? words.lookedAtOf(chosen.length - open, chosen.length) : ''}>{words.slices}</Head>
      <States of={list} what={words.theSlices}>
        {data && !data.start && <p className="empty">{words.noSlicesYet}</p>}
        {data?.start && <Inside data={data} start={data.start} />}
      </States>
    </>
  )
}

function Inside({ data, start }: { data: Schema['SlicesDto']; start: Cut }) {
  const [key, setKey] = useState<string | null>(null)
  const [cut, setCut] = useState<Cut>(start)
  const [before, setBefore] = useState<Cut[]>([])
  const go = (c: Cut, of: string | null) => {
    setBefore((b) => [...b.slice(-20), cut])
    setCut(c)
    setKey(of)
  }
  const job = useJob()
  const takeOut = useChange(async (body: Schema['CleanDto']) =>
    unwrap(await api.POST('/api/jobs/{job}/cleaning', { params: { path: { job: job.id } }, body })),
  )
  const back = before.at(-1)
  const slice = data.slices.find((s) => s.key === key)
  return (
    <div className="slicing">
      <div>
        <List data={data} chosen={key} onChoose={(s) => s.cut && go(s.cut, s.key)} />
        <div className="bar">
          <Button size="small" onClick={() => go(start, null)}>
            {words.everything}
          </Button>
          <Button
            size="small"
            disabled={!back}
            onClick={() => {
              if (back) setCut(back)
              setBefore((b) => b.slice(0, -1))
            }}
          >
            {words.back}
          </Button>
        </div>
        <Where cut={cut} frame={data.frame} />
        <Keep key={key ?? ''} slice={slice} cut={cut} />
      </div>
      <SliceView
        frame={data.frame}
        onTakeOut={canEdit(job) ? (asked) => takeOut.mutate(asked) : undefined}
        key={key ?? ''}
        pair={slice?.pair}
        cut={cut}
        onCut={(c, jump) => (jump ? go(c, null) : setCut(c))}
      />
    </div>
  )
}

function List(p: { data: Schema['SlicesDto']; chosen: string | null; onChoose: (s: Slice) => void }) {
  if (p.data.slices.length === 0)
    return <p className="empty">{p.data.compared ? words.noDoubtfulSlice : words.compareForSlices}</p>
  return (
    <ul className="slice-list" aria-label={words.slicesToLookAt}>
      {p.data.slices.map((s) => (
        <li key={s.key}>
          <button type="button" aria-pressed={p.chosen === s.key} disabled={!s.cut} onClick={() => p.onChoose(s)}>
            {mark(s)}
            {s.said}
            {s.looked && (
              <span className="faint"> {words.lookedAtBy(s.looked.by, ago(s.looked.at), s.looked.note)}</span>
            )}
            {s.stale && <span className="warn"> {words.changedSince}</span>}
          </button>
        </li>
      ))}
    </ul>
  )
}

/** Looked at, or waiting for somebody who does. */
function mark(s: Slice) {
  if (s.looked) return '✓ '
  return s.chosen ? '? ' : ''
}

function plane(cut: Cut) {
  if (cut.tilt < 0.5) return words.levelSlice
  return cut.tilt > 89.5 ? words.uprightSlice : words.tiltedSlice
}

/** Where the slice lies, in figures. */
function Where({ cut, frame }: { cut: Cut; frame: string }) {
  const u = useUnits()
  const [e, n, h] = frame === 'grid' ? [words.easting, words.northing, words.height] : ['x', 'y', 'z']
  const [x = 0, y = 0, z = 0] = cut.at
  return (
    <p className="faint">
      {plane(cut)}: {e} {u.len(x)} {n} {u.len(y)} {h} {u.len(z)} {u.code}, {words.wide(u.len(cut.width, 2), u.code)}
    </p>
  )
}

/** Puts one's name to the slice, or takes it back. */
function Keep({ slice, cut }: { slice: Slice | undefined; cut: Cut }) {
  const job = useJob()
  const [note, setNote] = useState('')
  const keep = useChange(async (looked: boolean) =>
    unwrap(
      await api.PUT('/api/jobs/{job}/slices', {
        params: { path: { job: job.id } },
        body: { key: slice?.key ?? null, cut, looked, note: looked ? note : '' },
      }),
    ),
  )
  if (job.role === 'client') return null
  if (slice?.looked)
    return (
      <p>
        {slice.said}. {words.lookedAtBy(slice.looked.by, ago(slice.looked.at), slice.looked.note)}{' '}
        <button type="button" className="link" onClick={() => keep.mutate(false)}>
          {words.takeItBack}
        </button>
      </p>
    )
  return (
    <form
      className="in-row"
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate(true, { onSuccess: () => setNote('') })
      }}
    >
      <Input
        size="small"
        aria-label={words.whatTheSliceShows}
        placeholder={words.whatTheSliceShows}
        maxLength={400}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      <Button size="small" type="primary" htmlType="submit" disabled={!slice && !note.trim()} loading={keep.isPending}>
        {slice ? words.lookedAt : words.keepForTheReport}
      </Button>
    </form>
  )
}
