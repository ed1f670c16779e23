import { useQuery } from '@tanstack/react-query'
import { Button, Checkbox, Input, Popover, Select, Slider } from 'antd'
import { useState } from 'react'
import * as THREE from 'three'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Confirm } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { HUES } from './material'
import { type Camera, type Clip, type Colouring, COLOURINGS, type Look, type Projection } from './look'
import type { Picked } from './scans'
import type { World } from './world'
import { cloud as words } from '../words'

interface Props {
  world: World
  cloud: Schema['CloudDto']
  look: Look
  setLook: (l: Look) => void
  off: Set<string>
  setOff: (off: Set<string>) => void
  project: (p: Projection, clip: Clip | null, middle?: THREE.Vector3, span?: number) => void
  measuring: boolean
  setMeasuring: (on: boolean) => void
  picked: Picked[]
  setPicked: (p: Picked[]) => void
  /** Takes out what is in the box. */
  onBox?: (box: Schema['CleanBoxDto']) => void
}

/** The box that is cut to, in the frame of the clouds. */
function inFrame({ cloud, look }: Props): Schema['CleanBoxDto'] {
  const c = look.clip ?? { middle: [0, 0, 0], half: [1, 1, 1], turn: 0 }
  const middle = c.middle.map((v, k) => v + cloud.origin[k]!)
  return { frame: cloud.frame, middle, half: [...c.half], turn: c.turn }
}

/** Half of "as far as there is anything", metres. */
const FAR = 2000

/** Colouring, slices, going to a place, saved views. */
export function CloudTools(p: Props) {
  const { look, setLook } = p
  return (
    <div className="tools" role="toolbar" aria-label={words.cloudTools}>
      <Select<Colouring>
        aria-label={words.colourBy}
        value={look.colouring}
        onChange={(colouring) => setLook({ ...look, colouring })}
        style={{ width: 128 }}
        popupMatchSelectWidth={320}
        virtual={false}
        listHeight={440}
        options={COLOURINGS.map((c) => ({ value: c.value, label: words.by(c.label), says: c.says }))}
        optionRender={(o) => (
          <div>
            {o.data.label}
            <br />
            <small className="faint">{o.data.says}</small>
          </div>
        )}
      />
      <Button
        type={p.measuring ? 'primary' : 'default'}
        aria-pressed={p.measuring}
        onClick={() => p.setMeasuring(!p.measuring)}
      >
        {words.measure}
      </Button>
      <Popover trigger="click" placement="bottomLeft" content={<Slices {...p} />}>
        <Button type={look.clip && !look.clip.roof ? 'primary' : 'default'}>{words.slice}</Button>
      </Popover>
      <Popover trigger="click" placement="bottomLeft" content={<GoTo {...p} />}>
        <Button>{words.goTo}</Button>
      </Popover>
      <Popover trigger="click" placement="bottomLeft" content={<Views {...p} />}>
        <Button>{words.views}</Button>
      </Popover>
      <Popover
        trigger="click"
        placement="bottomLeft"
        content={
          <div style={{ width: 210 }}>
            <label>
              {words.pointSize}
              <Slider min={0.5} max={3} step={0.1} value={look.size} onChange={(size) => setLook({ ...look, size })} />
            </label>
            <Checkbox checked={look.dark} onChange={(e) => setLook({ ...look, dark: e.target.checked })}>
              {words.darkSheet}
            </Checkbox>
            <br />
            <Checkbox checked={look.shaded !== false} onChange={(e) => setLook({ ...look, shaded: e.target.checked })}>
              {words.shadedByDepth}
            </Checkbox>
            <label>
              {words.whatIsTakenOut}
              <Select<NonNullable<Look['outs']>>
                aria-label={words.whatIsTakenOut}
                value={look.outs ?? 'marked'}
                onChange={(outs) => setLook({ ...look, outs })}
                style={{ width: '100%' }}
                options={[
                  { value: 'marked', label: words.outsMarked },
                  { value: 'hidden', label: words.outsHidden },
                  { value: 'shown', label: words.outsShown },
                ]}
              />
            </label>
          </div>
        }
      >
        <Button>{words.show}</Button>
      </Popover>
      <Popover trigger="click" placement="bottomLeft" content={<ScanList {...p} />}>
        <Button type={p.off.size ? 'primary' : 'default'}>
          {p.off.size ? words.ofScans(p.cloud.scans.length - p.off.size, p.cloud.scans.length) : words.scans}
        </Button>
      </Popover>
      {p.onBox && look.clip && !look.clip.roof && (
        <Button onClick={() => p.onBox?.(inFrame(p))}>{words.takeOutTheBox}</Button>
      )}
      {look.clip && (
        <Button onClick={() => p.project('free', null)}>
          {look.clip.roof ? words.cutAboveTheInstruments : words.wholeCloud}
        </Button>
      )}
    </div>
  )
}

/** Scans on and off, with the colour of each. */
function ScanList({ cloud, off, setOff }: Props) {
  const ids = cloud.scans.map((s) => s.id)
  const turn = (id: string) => {
    const next = new Set(off)
    if (!next.delete(id)) next.add(id)
    setOff(next)
  }
  return (
    <div className="slices scan-list">
      <div className="bar" style={{ margin: 0 }}>
        <Button size="small" onClick={() => setOff(new Set())}>
          {words.all}
        </Button>
        <Button size="small" onClick={() => setOff(new Set(ids))}>
          {words.none}
        </Button>
      </div>
      {cloud.scans.map((s, k) => (
        <Checkbox key={s.id} checked={!off.has(s.id)} onChange={() => turn(s.id)}>
          <i className="swatch" style={{ background: `#${HUES[k % HUES.length]!.toString(16).padStart(6, '0')}` }} />
          {s.name}
        </Checkbox>
      ))}
    </div>
  )
}

/** A thin slice as plan or section, or a box. */
function Slices({ world, cloud, look, project, picked }: Props) {
  const focus = picked.at(-1)?.world ?? world.controls.target
  const [height, setHeight] = useState<number | null>(cloud.origin[2]! + focus.z)
  const [thick, setThick] = useState<number | null>(0.1)
  const [side, setSide] = useState<number | null>(10)
  const half = Math.max((thick ?? 0.1) / 2, 0.0005)
  const plan = () => {
    const z = (height ?? 0) - cloud.origin[2]!
    // as far as the stations reach, and what they look at
    const reach =
      Math.max(0, ...cloud.scans.map((s) => Math.hypot(s.pose.translation[0]!, s.pose.translation[1]!))) + 20
    project('plan', { middle: [0, 0, z], half: [FAR, FAR, half], turn: 0 }, new THREE.Vector3(0, 0, z), 2 * reach)
  }
  const section = () => {
    const [a, b] = picked.slice(-2).map((q) => q.world) as [THREE.Vector3, THREE.Vector3]
    const middle = a.clone().add(b).divideScalar(2)
    project(
      'section',
      { middle: middle.toArray(), half: [FAR, half, FAR], turn: Math.atan2(b.y - a.y, b.x - a.x) },
      middle,
      Math.max(Math.hypot(b.x - a.x, b.y - a.y) * 1.3, 6),
    )
  }
  const box = () => {
    const h = (side ?? 10) / 2
    project('free', { middle: focus.toArray(), half: [h, h, h], turn: 0 }, focus.clone(), (side ?? 10) * 1.4)
  }
  return (
    <div className="slices">
      <label>
        {words.thickness}
        <LengthInput label={words.sliceThickness} value={thick} onChange={setThick} />
      </label>
      <label>
        {words.heightOfThePlan}
        <LengthInput label={words.sliceHeight} value={height} onChange={setHeight} />
      </label>
      <Button onClick={plan}>{words.planAtThisHeight}</Button>
      <Button onClick={section} disabled={picked.length < 2}>
        {words.sectionThroughTheLast}
      </Button>
      <label>
        {words.sideOfTheBox}
        <LengthInput label={words.boxSide} value={side} onChange={setSide} />
      </label>
      <Button onClick={box}>{words.boxAbout(picked.length ? words.theLastMeasuredPoint : words.theMiddleOfThe)}</Button>
      {look.clip && (
        <Button type="primary" onClick={() => project('free', null)}>
          {words.wholeCloud}
        </Button>
      )}
    </div>
  )
}

/** Brings coordinates before the eye. */
function GoTo({ world, cloud }: Props) {
  const u = useUnits()
  const [text, setText] = useState('')
  const numbers = text
    .split(/[\s;,]+/)
    .filter(Boolean)
    .map(Number)
  const good = numbers.length === 3 && numbers.every(Number.isFinite)
  const go = () =>
    world.lookAt(
      new THREE.Vector3(...(numbers.map((v, i) => v * u.metres - cloud.origin[i]!) as [number, number, number])),
      3,
    )
  return (
    <form
      className="slices"
      onSubmit={(e) => {
        e.preventDefault()
        if (good) go()
      }}
    >
      <label>
        {cloud.frame === 'grid' ? words.eastingNorthingHeight : 'x, y, z'} [{u.code}]
        <Input
          aria-label={words.coordinatesToGoTo}
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder="412350.12 5604820.45 88.01"
          style={{ width: 270 }}
        />
      </label>
      <Button htmlType="submit" disabled={!good}>
        {words.lookThere}
      </Button>
    </form>
  )
}

interface Kept {
  look: Look
  camera: Camera
  origin: number[]
  picked: Picked[]
}

/** Views kept for everybody in the job. */
function Views({ world, cloud, look, setLook, project, picked, setPicked }: Props) {
  const job = useJob()
  const [name, setName] = useState('')
  const path = { params: { path: { job: job.id } } }
  const views = useQuery({
    queryKey: ['job', job.id, 'views'],
    enabled: job.role !== 'client',
    queryFn: async () => unwrap(await api.GET('/api/jobs/{job}/views', { params: { path: { job: job.id } } })),
  })
  const save = useChange(
    async () => {
      const data: Kept = {
        look,
        camera: world.view,
        origin: cloud.origin,
        picked: picked.map((q) => ({ ...q, world: q.world.toArray() as unknown as THREE.Vector3 })),
      }
      return unwrap(await api.POST('/api/jobs/{job}/views', { ...path, body: { name, data: data as never } }))
    },
    () => setName(''),
  )
  const drop = useChange(async (view: string) =>
    unwrap(await api.DELETE('/api/jobs/{job}/views/{view}', { params: { path: { job: job.id, view } } })),
  )
  const show = (v: Schema['View']) => {
    const k = v.data as unknown as Kept
    // the origin moves when stations are added: what was kept moves against it
    const shift = k.origin.map((o, i) => o - cloud.origin[i]!) as [number, number, number]
    const moved = (p: readonly number[]) => p.map((x, i) => x + shift[i]!) as [number, number, number]
    const clip = k.look.clip && { ...k.look.clip, middle: moved(k.look.clip.middle) }
    project(k.look.projection, clip, new THREE.Vector3(...moved(k.camera.target)))
    setLook({ ...k.look, clip })
    world.view = { position: moved(k.camera.position), target: moved(k.camera.target), zoom: k.camera.zoom }
    setPicked(k.picked.map((q) => ({ ...q, world: new THREE.Vector3(...moved(q.world as unknown as number[])) })))
  }
  return (
    <div className="slices">
      {views.data?.map((v) => (
        <div key={v.id} className="kept">
          <Button type="text" onClick={() => show(v)}>
            {v.name}
          </Button>
          <small className="faint">{v.created_by}</small>
          {canEdit(job) && (
            <Confirm
              label={words.removeTheView(v.name)}
              title={words.theViewIsRemoved(v.name)}
              onConfirm={() => drop.mutate(v.id)}
            >
              {words.remove}
            </Confirm>
          )}
        </div>
      ))}
      {views.data?.length === 0 && <span className="faint">{words.noViewsKeptYet}</span>}
      {canEdit(job) && (
        <form
          onSubmit={(e) => {
            e.preventDefault()
            save.mutate(undefined)
          }}
          style={{ display: 'flex', gap: 6 }}
        >
          <Input
            aria-label={words.nameOfTheView}
            placeholder={words.nameOfThisView}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <Button htmlType="submit" disabled={!name.trim()}>
            {words.keep}
          </Button>
        </form>
      )}
    </div>
  )
}
