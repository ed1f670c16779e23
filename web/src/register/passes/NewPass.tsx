import { Button, Input, Select } from 'antd'
import { useRef, useState } from 'react'
import { api, type Schema, unwrap } from '../../api/client'
import { num, span } from '../../lib/format'
import { useUnits } from '../../lib/units'
import { Caution } from '../../parts'
import { register as words } from '../../words'
import type { PassActions, Passes } from './usePasses'

type Preview = Schema['PathPreviewDto']
/** Characters of a path that are looked at before it is sent. */
const LOOK = 400_000

/** A pass that begins: what it was walked with, its cloud and its path. */
export function NewPass({ of, units }: { of: PassActions; units: Passes['units'] }) {
  const u = useUnits()
  const [open, setOpen] = useState(false)
  const [name, setName] = useState('')
  const [unit, setUnit] = useState(units[0]?.name ?? '')
  const [cloud, setCloud] = useState<File | null>(null)
  const [path, setPath] = useState<File | null>(null)
  const [looked, setLooked] = useState<Preview | string | null>(null)
  const profile = units.find((x) => x.name === unit)
  if (!open)
    return (
      <div className="bar">
        <Button onClick={() => setOpen(true)}>{words.bringAPass}</Button>
      </div>
    )
  const look = async (file: File) => {
    setPath(file)
    setLooked(null)
    const text = await file.slice(0, LOOK).text()
    // the last line may be cut by the end of the look
    const whole = file.size > LOOK ? text.slice(0, text.lastIndexOf('\n')) : text
    const answer = await api.POST('/api/jobs/{job}/passes/preview', {
      params: { path: { job: of.job.id } },
      body: whole,
      bodySerializer: (b: string) => b,
      headers: { 'content-type': 'text/plain' },
    })
    try {
      setLooked(unwrap(answer))
    } catch (e) {
      setLooked((e as Error).message)
    }
  }
  const ready = name.trim() && cloud && path && typeof looked !== 'string'
  return (
    <form
      className="card"
      aria-label={words.bringAPass}
      onSubmit={(e) => {
        e.preventDefault()
        if (!cloud || !path) return
        of.add.mutate({ name: name.trim(), unit, cloud, path })
        setOpen(false)
        setName('')
        setCloud(null)
        setPath(null)
        setLooked(null)
      }}
    >
      <div className="bar">
        <Input
          aria-label={words.nameOfThePass}
          placeholder={words.nameOfThePass}
          maxLength={60}
          value={name}
          onChange={(e) => setName(e.target.value)}
          style={{ width: 200 }}
        />
        <Select
          aria-label={words.walkedWith}
          value={unit}
          onChange={setUnit}
          style={{ width: 160 }}
          options={units.map((x) => ({ value: x.name, label: x.name }))}
        />
      </div>
      {profile && (
        <p className="faint">
          {words.whatAUnitDoes(u.about(profile.loses95), u.small, u.len(profile.max_range, 0), u.code)}
        </p>
      )}
      <div className="bar">
        <Pick label={words.cloudWithTimes} accept=".las,.laz,.e57,.ply,.xyz,.txt,.csv" file={cloud} onFile={setCloud} />
        <Pick label={words.itsPath} accept=".txt,.csv,.tum,.traj,.xyz" file={path} onFile={(f) => void look(f)} />
      </div>
      <Looked of={looked} />
      <Caution>{words.walkWithCare}</Caution>
      <div className="bar">
        <Button type="primary" htmlType="submit" disabled={!ready} loading={of.add.isPending}>
          {words.bringIt}
        </Button>
        <Button type="text" onClick={() => setOpen(false)}>
          {words.close}
        </Button>
      </div>
    </form>
  )
}

/** A file from this machine. */
export function Pick(p: { label: string; accept: string; file: File | null; onFile: (f: File) => void }) {
  const input = useRef<HTMLInputElement>(null)
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept={p.accept}
        aria-label={p.label}
        onChange={(e) => {
          const f = e.target.files?.[0]
          if (f) p.onFile(f)
          e.target.value = ''
        }}
      />
      <Button onClick={() => input.current?.click()}>{p.file ? `${p.label}: ${p.file.name}` : p.label}</Button>
    </>
  )
}

/** What was understood of a path, so that a wrong column shows before gigabytes are sent. */
function Looked({ of }: { of: Preview | string | null }) {
  const u = useUnits()
  if (of == null) return <p className="empty">{words.whatAPathIs}</p>
  if (typeof of === 'string') return <p className="warn">{of}</p>
  const names = new Map<number, string>([
    [of.time, words.columnTime],
    ...(['x', 'y', 'z'] as const).map((a, k): [number, string] => [of.xyz[k] ?? -1, a]),
  ])
  return (
    <>
      <p>{words.pathUnderstood(span(of.seconds), u.len(of.metres, 1), u.code, of.turns, of.tick)}</p>
      <table className="ledger" aria-label={words.itsPath}>
        <thead>
          <tr>
            {(of.rows[0] ?? []).map((_, k) => (
              <th key={k} className="num">
                {names.get(k) ?? of.heading?.[k] ?? num(k + 1, 0)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {of.rows.slice(0, 3).map((row, k) => (
            <tr key={k}>
              {row.map((v, c) => (
                <td key={c} className="num">
                  {v}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}
