import { Button, Select, Upload } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { count, plural } from '../lib/count'
import { sayError } from '../lib/errors'
import { num } from '../lib/format'
import { canEdit, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Caution, Confirm, Head, Ledger, States } from '../parts'
import { Panorama } from '../register/hand/Panorama'
import { Tasks } from '../shell/Tasks'
import { check as words } from '../words'
import { PhotoCanvas } from './PhotoCanvas'

type All = Schema['PhotosDto']
type Photo = Schema['PhotoDto']
type Pick = Schema['PickedDto']
/** A pick whose other half waits. */
type Half = { pixel: [number, number] } | { scan: string; at: [number, number, number] }

/** Photographs that colour the clouds: brought, placed by what is picked in them, tried on one scan, undone. */
export function Photos() {
  const job = useJob()
  const edit = canEdit(job)
  const photos = useRead('/api/jobs/{job}/photos')
  const data = photos.data
  const [open, setOpen] = useState<string | null>(null)
  const photo = data?.photos.find((p) => p.id === open)
  return (
    <>
      <Head aside={data && data.to_do > 0 ? words.notColouredSince(plural(data.to_do, 'scan')) : ''}>
        {words.colours}
      </Head>
      <States of={photos} what={words.photographs}>
        {data && data.photos.length === 0 && <p className="empty">{words.noPhotographs}</p>}
        {edit && <Bring />}
        {data && data.photos.length > 0 && <List data={data} edit={edit} open={open} onOpen={setOpen} />}
        {photo && <Picking key={photo.id} photo={photo} edit={edit} onClose={() => setOpen(null)} />}
        {edit && data && data.photos.some((p) => p.fit && p.used) && <Paint data={data} />}
        <Tasks kinds={['paint']} ended={1} />
        {data && data.scans.length > 0 && <Coloured data={data} />}
        {data && data.photos.length > 0 && <Caution>{words.whatColoursShow}</Caution>}
      </States>
    </>
  )
}

function Bring() {
  const job = useJob()
  const add = useChange(async (file: File) => {
    const to = `/api/jobs/${job.id}/photos?name=${encodeURIComponent(file.name)}`
    const answer = await fetch(to, {
      method: 'POST',
      body: file,
      headers: { 'content-type': 'application/octet-stream', 'x-vistazo': '1' },
    })
    if (!answer.ok) throw new Error(((await answer.json()) as { error: string }).error)
  })
  return (
    <div className="bar">
      <Upload
        accept=".jpg,.jpeg,.png"
        multiple
        showUploadList={false}
        beforeUpload={(f) => {
          add.mutate(f)
          return false
        }}
      >
        <Button loading={add.isPending}>{words.bringPhotographs}</Button>
      </Upload>
    </div>
  )
}

function List(p: { data: All; edit: boolean; open: string | null; onOpen: (id: string | null) => void }) {
  const u = useUnits()
  const job = useJob()
  const change = useChange(async (to: Photo) =>
    unwrap(
      await api.PUT('/api/jobs/{job}/photos/{photo}', {
        params: { path: { job: job.id, photo: to.id } },
        body: { version: to.version, picks: to.picks, masks: to.masks, used: !to.used },
      }),
    ),
  )
  const remove = useChange(async (of: Photo) =>
    unwrap(
      await api.DELETE('/api/jobs/{job}/photos/{photo}', {
        params: { path: { job: job.id, photo: of.id }, query: { version: of.version } },
      }),
    ),
  )
  const says = (r: Photo) => {
    if (!r.fit) return r.refused ?? words.notPlaced
    const within = u.err(Math.hypot(...r.fit.position95))
    return `${words.placedWithin(within, u.small)}; ${words.drawnWithin(num(r.fit.drawn95, 1))}`
  }
  return (
    <Ledger
      label={words.photographs}
      rows={p.data.photos}
      id={(r) => r.id}
      selected={p.open}
      onSelect={p.onOpen}
      empty={words.noPhotographs}
      tone={(r) => (r.fit ? undefined : 'warn')}
      columns={[
        { head: words.photograph, cell: (r) => r.name },
        { head: words.picks, num: true, cell: (r) => count(r.picks.length), value: (r) => r.picks.length },
        { head: '', cell: says },
        {
          head: '',
          cell: (r) =>
            p.edit && (
              <span className="bar">
                <Button size="small" onClick={() => p.onOpen(r.id)}>
                  {words.pickHere}
                </Button>
                <Button size="small" onClick={() => change.mutate(r)}>
                  {r.used ? words.leaveOut : words.useIt}
                </Button>
                <Confirm title={words.takeThePhotographOut(r.name)} onConfirm={() => remove.mutate(r)}>
                  {words.takeOut}
                </Confirm>
              </span>
            ),
        },
      ]}
    />
  )
}

/** One photograph beside the panorama of a scan: the same things are clicked in both. */
function Picking({ photo, edit, onClose }: { photo: Photo; edit: boolean; onClose: () => void }) {
  const job = useJob()
  const scans = useRead('/api/jobs/{job}/scans').data ?? []
  const [scan, setScan] = useState<string | null>(null)
  const [half, setHalf] = useState<Half | null>(null)
  const [mask, setMask] = useState(false)
  const put = useChange(async (to: { picks: Pick[]; masks: number[][] }) =>
    unwrap(
      await api.PUT('/api/jobs/{job}/photos/{photo}', {
        params: { path: { job: job.id, photo: photo.id } },
        body: { version: photo.version, used: photo.used, picks: to.picks, masks: to.masks },
      }),
    ),
  )
  const chosen = scan ?? photo.picks.at(-1)?.scan ?? scans[0]?.id
  const meet = (next: Half) => {
    const both = { ...half, ...next }
    if (!('pixel' in both) || !('at' in both)) return setHalf(next)
    setHalf(null)
    put.mutate({ picks: [...photo.picks, both], masks: photo.masks })
  }
  const point = async (direction: [number, number, number]) => {
    if (!edit || !chosen) return
    try {
      const found = unwrap(
        await api.POST('/api/jobs/{job}/scans/{scan}/point', {
          params: { path: { job: job.id, scan: chosen } },
          body: { direction },
        }),
      )
      meet({ scan: chosen, at: found.at as [number, number, number] })
    } catch (e) {
      sayError((e as Error).message)
    }
  }
  const unlikely = (k: number) => (photo.fit?.p_family[k] ?? 1) < 0.01
  const marks = photo.picks.map((q, k) => ({ ...q, label: `${k + 1}`, wrong: unlikely(k) }))
  const inScan = marks.filter((m) => m.scan === chosen)
  if (half && 'at' in half && half.scan === chosen) inScan.push({ ...half, pixel: [0, 0], label: '…', wrong: false })
  return (
    <section className="card" aria-label={photo.name}>
      <h3>
        {photo.name}
        <span className="bar-end">
          <Button size="small" type="text" onClick={onClose}>
            {words.close}
          </Button>
        </span>
      </h3>
      <p className="faint">{words.clickBoth}</p>
      {edit && (
        <div className="bar">
          <Select
            aria-label={words.scan}
            value={chosen}
            style={{ minWidth: 140 }}
            onChange={(id: string) => setScan(id)}
            options={scans.map((s) => ({ value: s.id, label: s.name }))}
          />
          <Button size="small" aria-pressed={mask} onClick={() => setMask(!mask)}>
            {words.maskAPart}
          </Button>
          {photo.masks.length > 0 && (
            <Button size="small" onClick={() => put.mutate({ picks: photo.picks, masks: [] })}>
              {words.removeTheMasks}
            </Button>
          )}
        </div>
      )}
      <div className="photo-picking">
        <PhotoCanvas
          url={`/api/jobs/${job.id}/photos/${photo.id}/picture`}
          name={photo.name}
          size={[photo.width, photo.height]}
          marks={marks}
          waiting={half && 'pixel' in half ? half.pixel : null}
          masks={photo.masks}
          masking={mask}
          onPoint={(pixel) => edit && meet({ pixel })}
          onMask={(m) => {
            setMask(false)
            put.mutate({ picks: photo.picks, masks: [...photo.masks, m] })
          }}
        />
        {chosen && (
          <Panorama
            key={chosen}
            url={`/api/jobs/${job.id}/scans/${chosen}/panorama`}
            name={scans.find((s) => s.id === chosen)?.name ?? ''}
            marks={inScan}
            onPoint={(d) => void point(d)}
          />
        )}
      </div>
      <Picks photo={photo} scans={scans} edit={edit} onPicks={(picks) => put.mutate({ picks, masks: photo.masks })} />
    </section>
  )
}

function Picks(p: {
  photo: Photo
  scans: { id: string; name: string }[]
  edit: boolean
  onPicks: (p: Pick[]) => void
}) {
  const { fit, picks } = p.photo
  const off = (k: number) => (fit ? Math.hypot(...(fit.residuals[k] ?? [0, 0])) : null)
  const rows = picks.map((q, k) => ({ ...q, k }))
  const name = (id: string) => p.scans.find((s) => s.id === id)?.name ?? ''
  return (
    <Ledger
      label={words.picks}
      rows={rows}
      id={(r) => `${r.k}`}
      empty={words.nothingPicked}
      tone={(r) => ((fit?.p_family[r.k] ?? 1) < 0.01 ? 'bad' : undefined)}
      columns={[
        { head: '', cell: (r) => `${r.k + 1}` },
        { head: words.scan, cell: (r) => name(r.scan) },
        { head: words.off, num: true, cell: (r) => num(off(r.k), 1), value: (r) => off(r.k) ?? 0 },
        {
          head: '',
          cell: (r) => (
            <>
              {(fit?.p_family[r.k] ?? 1) < 0.01 && <b className="bad">{words.unlikely} </b>}
              {p.edit && (
                <button type="button" className="link" onClick={() => p.onPicks(picks.filter((_, j) => j !== r.k))}>
                  {words.takeOut}
                </button>
              )}
            </>
          ),
        },
      ]}
    />
  )
}

function Paint({ data }: { data: All }) {
  const job = useJob()
  const scans = useRead('/api/jobs/{job}/scans').data ?? []
  const at = { params: { path: { job: job.id } } }
  const run = useChange(async (scan: string | null) =>
    unwrap(await api.POST('/api/jobs/{job}/colours', { ...at, body: { scan } })),
  )
  const undo = useChange(async () => unwrap(await api.DELETE('/api/jobs/{job}/colours', at)))
  return (
    <div className="bar">
      <Button type="primary" loading={run.isPending} onClick={() => run.mutate(null)}>
        {words.colourAll}
      </Button>
      <Select
        aria-label={words.tryOneScan}
        placeholder={words.tryOneScan}
        value={null}
        style={{ minWidth: 170 }}
        onChange={(id: string | null) => id && run.mutate(id)}
        options={scans.map((s) => ({ value: s.id, label: s.name }))}
      />
      {data.scans.length > 0 && (
        <Button loading={undo.isPending} onClick={() => undo.mutate(undefined)}>
          {words.coloursUndone}
        </Button>
      )}
    </div>
  )
}

function Coloured({ data }: { data: All }) {
  const share = (n: number, of: number) => `${count(n)} (${num((100 * n) / Math.max(of, 1), 1)} %)`
  return (
    <Ledger
      label={words.colouredBy}
      rows={data.scans}
      id={(r) => r.scan}
      empty={words.noPhotographs}
      tone={(r) => (r.stale ? 'warn' : undefined)}
      columns={[
        { head: words.scan, cell: (r) => r.name },
        {
          head: words.colouredPoints,
          num: true,
          cell: (r) => share(r.coloured, r.coloured + r.unseen),
          value: (r) => r.coloured,
        },
        { head: words.unseenPoints, num: true, cell: (r) => count(r.unseen), value: (r) => r.unseen },
        { head: '', cell: (r) => (r.stale ? words.outOfDate : '') },
      ]}
    />
  )
}
