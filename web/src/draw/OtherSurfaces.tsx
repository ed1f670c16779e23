import { Button, Input, Upload } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { count } from '../lib/count'
import { num } from '../lib/format'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Confirm, Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { SmallTable } from '../parts/SmallTable'
import { draw as words } from '../words'
import type { Drawn } from './drawn'
import { knownShare } from './ground'

type Other = Schema['OtherSurfaceDto']

/** Surfaces that somebody else made, and what lies over and under them within each area. */
export function OtherSurfaces({ ground, items }: { ground: Schema['GroundDto']; items: Drawn[] }) {
  const edit = canEdit(useJob())
  const { surfaces, between } = ground
  const u = useUnits()
  if (!edit && surfaces.length === 0) return null
  const called = (id: string) => items.find((d) => d.id === id)?.data.name || words.groundKinds.area
  const cubic = (m3: number) => num(m3 / u.metres ** 3, 2)
  return (
    <section aria-label={words.otherSurfaces}>
      <Head>{words.otherSurfaces}</Head>
      {surfaces.length === 0 && <p className="empty">{words.noOtherSurface}</p>}
      {surfaces.map((s) => (
        <One key={`${s.id} ${s.version}`} of={s} edit={edit} />
      ))}
      {surfaces.length > 0 && between.length === 0 && <p className="faint">{words.drawAnArea}</p>}
      {between.length > 0 && (
        <SmallTable
          name={words.betweenSurfaces}
          heads={[
            words.groundKinds.area,
            words.againstSurface,
            { num: words.above(u.code) },
            { num: words.below(u.code) },
            { num: words.volume95(u.code) },
            words.sizeHead,
          ]}
          rows={between.map((b) => {
            const known = knownShare(b.known, b.whole)
            return {
              key: `${b.area} ${b.surface}`,
              bad: known < 80,
              cells: [
                called(b.area),
                surfaces.find((s) => s.id === b.surface)?.name ?? '',
                cubic(b.above),
                cubic(b.below),
                cubic(b.error95),
                u.area(b.whole, 1) + (known < 100 ? `, ${words.lessKnown(known)}` : ''),
              ],
            }
          })}
        />
      )}
      {edit && <Bring />}
    </section>
  )
}

/** What is said of one; its name and how well it is known can be mended. */
function One({ of: s, edit }: { of: Other; edit: boolean }) {
  const job = useJob()
  const u = useUnits()
  const [name, setName] = useState(s.name)
  const [error95, setError95] = useState<number | null>(s.error95)
  const path = { job: job.id, surface: s.id }
  const change = useChange(async () =>
    unwrap(
      await api.PUT('/api/jobs/{job}/surfaces/{surface}', {
        params: { path },
        body: { name, error95: error95 ?? s.error95, version: s.version },
      }),
    ),
  )
  const remove = useChange(async () =>
    unwrap(await api.DELETE('/api/jobs/{job}/surfaces/{surface}', { params: { path, query: { version: s.version } } })),
  )
  const changed = name.trim() !== s.name || error95 !== s.error95
  const made = words.surfaceMade(count(s.triangles), s.by)
  if (!edit)
    return (
      <p>
        <b>{s.name}</b>, {words.within95(u.about(s.error95), u.small)}, {made}
      </p>
    )
  return (
    <form
      className="bar"
      aria-label={s.name}
      onSubmit={(e) => {
        e.preventDefault()
        change.mutate(undefined)
      }}
    >
      <Input
        size="small"
        style={{ width: 220 }}
        maxLength={80}
        aria-label={words.nameOfSurface}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <Known value={error95} onChange={setError95} />
      <span className="faint">{made}</span>
      {changed && (
        <Button size="small" htmlType="submit" loading={change.isPending} disabled={!name.trim() || error95 == null}>
          {words.keepSurface}
        </Button>
      )}
      <Confirm title={words.removeSurface(s.name)} onConfirm={() => remove.mutate(undefined)}>
        <Button size="small" type="text" loading={remove.isPending}>
          {words.remove}
        </Button>
      </Confirm>
    </form>
  )
}

function Known({ value, onChange }: { value: number | null; onChange: (v: number | null) => void }) {
  return (
    <label className="in-row">
      {words.heights95}
      <span style={{ width: 104 }}>
        <LengthInput dense small label={words.heights95} value={value} onChange={onChange} />
      </span>
    </label>
  )
}

/** A file chosen, and how well its heights are known: nobody but who made it can say. */
function Bring() {
  const job = useJob()
  const [file, setFile] = useState<{ name: string; text: string } | null>(null)
  const [error95, setError95] = useState<number | null>(null)
  const add = useChange(
    async () =>
      unwrap(
        await api.POST('/api/jobs/{job}/surfaces', {
          params: { path: { job: job.id } },
          body: { name: file?.name ?? '', text: file?.text ?? '', error95: error95 ?? 0 },
        }),
      ),
    () => {
      setFile(null)
      setError95(null)
    },
  )
  return (
    <form
      className="bar"
      aria-label={words.bringASurface}
      onSubmit={(e) => {
        e.preventDefault()
        add.mutate(undefined)
      }}
    >
      <Upload
        accept=".xml,.landxml"
        showUploadList={false}
        beforeUpload={(f) => {
          void f.text().then((text) => setFile({ name: f.name.replace(/\.[^.]*$/, ''), text }))
          return false
        }}
      >
        <Button size="small">{words.bringASurface}</Button>
      </Upload>
      {file && (
        <>
          <Input
            size="small"
            style={{ width: 220 }}
            maxLength={80}
            aria-label={words.nameOfSurface}
            value={file.name}
            onChange={(e) => setFile({ ...file, name: e.target.value })}
          />
          <Known value={error95} onChange={setError95} />
          <Button
            size="small"
            type="primary"
            htmlType="submit"
            loading={add.isPending}
            disabled={!file.name.trim() || error95 == null}
          >
            {words.reckonVolumes}
          </Button>
        </>
      )}
    </form>
  )
}
