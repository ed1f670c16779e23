import { Button, InputNumber } from 'antd'
import { useState } from 'react'
import type { Schema } from '../api/client'
import { LengthInput } from '../parts/LengthInput'
import { type Change, type Item } from './usePlan'
import { plan as words } from '../words'

type P = [number, number]
const map = (
  d: Schema['PlanData'],
  f: (p: P) => P,
  turn: (a: number) => number,
  flip: boolean,
  length: number,
): Schema['PlanData'] => ({
  ...d,
  line: d.line?.map((p) => f(p as P)),
  position: d.position && ([...f([d.position[0]!, d.position[1]!]), d.position[2]!] as [number, number, number]),
  facing: d.facing == null ? undefined : turn(d.facing),
  // a mirrored wall keeps its first vertex first, so its openings keep their places
  openings: flip ? d.openings : d.openings?.map((o) => ({ ...o, at: Math.min(o.at, length) })),
})
const lengthOf = (d: Schema['PlanData']) =>
  (d.line ?? []).slice(1).reduce((s, p, i) => s + Math.hypot(p[0]! - d.line![i]![0]!, p[1]! - d.line![i]![1]!), 0)

/** Copies of what is picked: along a line, round a centre, or mirrored. Halls and roundhouses repeat. */
export function Arrange({
  items,
  free,
  onApply,
}: {
  items: Item[]
  free: (kind: string, taken: Set<string>) => string
  onApply: (c: Change[]) => void
}) {
  const [times, setTimes] = useState(1)
  const [by, setBy] = useState<P>([5, 0])
  const [centre, setCentre] = useState<P>([0, 0])
  const [angle, setAngle] = useState(22)
  const [axis, setAxis] = useState(0)
  const make = (f: (k: number) => { f: (p: P) => P; turn: (a: number) => number; flip: boolean }, count: number) => {
    const taken = new Set<string>()
    const changes: Change[] = []
    for (let k = 1; k <= count; k++) {
      const t = f(k)
      for (const i of items) {
        const name = free(i.kind, taken)
        taken.add(`${i.kind} ${name.toLowerCase()}`)
        changes.push({
          id: crypto.randomUUID(),
          kind: i.kind,
          data: {
            ...map(i.data, t.f, t.turn, t.flip, lengthOf(i.data)),
            name,
            over: undefined,
            instrument_height: undefined,
            sights: undefined,
          },
        })
      }
    }
    onApply(changes)
  }
  const along = () =>
    make((k) => ({ f: (p) => [p[0] + by[0] * k, p[1] + by[1] * k], turn: (a) => a, flip: false }), times)
  const round = () =>
    make((k) => {
      const a = (angle * k * Math.PI) / 180
      const [s, c] = [Math.sin(a), Math.cos(a)]
      return {
        f: (p) => [
          centre[0] + c * (p[0] - centre[0]) - s * (p[1] - centre[1]),
          centre[1] + s * (p[0] - centre[0]) + c * (p[1] - centre[1]),
        ],
        turn: (b) => b - a,
        flip: false,
      }
    }, times)
  const mirror = () =>
    make(() => {
      // about a line through the centre, its direction in degrees from the x axis
      const a = (axis * Math.PI) / 180
      const [s, c] = [Math.sin(2 * a), Math.cos(2 * a)]
      return {
        f: (p) => [
          centre[0] + c * (p[0] - centre[0]) + s * (p[1] - centre[1]),
          centre[1] + s * (p[0] - centre[0]) - c * (p[1] - centre[1]),
        ],
        turn: (b) => Math.PI - 2 * a - b,
        flip: true,
      }
    }, 1)
  const number = (label: string, v: number, on: (n: number) => void, suffix?: string) => (
    <label>
      {label}
      <InputNumber
        aria-label={label}
        value={v}
        controls={false}
        suffix={suffix}
        onChange={(x) => on(Number(x ?? 0))}
        style={{ width: '100%' }}
      />
    </label>
  )
  return (
    <div className="slices" style={{ width: 320 }}>
      <b>{words.picked(items.length)}</b>
      <div className="pair">
        {number('Copies', times, (n) => setTimes(Math.max(1, Math.min(200, Math.round(n)))))}
        <label>
          {words.byX}
          <LengthInput label={words.copyByX} value={by[0]} onChange={(v) => setBy([v ?? 0, by[1]])} />
        </label>
        <label>
          {words.byY}
          <LengthInput label={words.copyByY} value={by[1]} onChange={(v) => setBy([by[0], v ?? 0])} />
        </label>
      </div>
      <Button onClick={along}>{words.copyAlong}</Button>
      <div className="pair">
        <label>
          {words.centreX}
          <LengthInput label={words.centreXTitle} value={centre[0]} onChange={(v) => setCentre([v ?? 0, centre[1]])} />
        </label>
        <label>
          {words.centreY}
          <LengthInput label={words.centreYTitle} value={centre[1]} onChange={(v) => setCentre([centre[0], v ?? 0])} />
        </label>
        {number(words.byAngle, angle, setAngle, '°')}
      </div>
      <Button onClick={round}>{words.copyRoundTheCentre}</Button>
      <div className="pair">{number(words.mirrorLine, axis, setAxis, '°')}</div>
      <Button onClick={mirror}>{words.mirrorAboutTheLine}</Button>
    </div>
  )
}
