import { InputNumber, Segmented } from 'antd'
import { useMemo, useState } from 'react'
import { useKey } from '../../lib/hooks'
import { settings } from '../../lib/settings'
import { useUnits } from '../../lib/units'
import { LengthInput } from '../../parts/LengthInput'
import { Laid } from './Laid'
import { between, headingOf, placeOf, type Pose, slid, turned } from './pose'
import type { Hand, Trial } from './useHand'
import { register as words } from '../../words'

/** Steps of the keys: metres, and degrees. */
const STEPS = [
  [0.01, 0.05],
  [0.05, 0.2],
  [0.2, 1],
  [1, 5],
] as const
const RADIANS = Math.PI / 180
/** What sideways and up mean in each slice. */
const AXES: Record<Trial['slices'][number]['cut'], (x: number, y: number) => [number, number, number]> = {
  plan: (x, y) => [x, y, 0],
  along: (x, y) => [x, 0, y],
  across: (x, y) => [0, x, y],
}

/** The three slices in which the second is turned and slid. */
export function Slices({ hand, trial, pose }: { hand: Hand; trial: Trial; pose: Pose }) {
  const shift = useMemo(() => between(trial.pose, pose, trial.heading), [trial, pose])
  const slide = (cut: keyof typeof AXES) => (x: number, y: number, fresh: boolean) => {
    const [along, across, up] = AXES[cut](x, y)
    hand.move(slid(pose, trial.heading, along, across, up), fresh)
  }
  return (
    <div className="laying">
      {trial.slices.map((s) => (
        <Laid
          key={s.cut}
          cut={s}
          shift={shift}
          onSlide={slide(s.cut)}
          onTurn={(by, fresh) => hand.move(turned(pose, by), fresh)}
        />
      ))}
    </div>
  )
}

/** The same by keys and by numbers. */
export function Numbers({ hand, trial, pose }: { hand: Hand; trial: Trial; pose: Pose }) {
  const u = useUnits()
  const [step, setStep] = useState(1)
  const [far, round] = STEPS[step] ?? STEPS[0]
  const at = placeOf(pose, trial.heading)
  const slide = (along: number, across: number, up: number) => hand.move(slid(pose, trial.heading, along, across, up))
  useKey('arrowright', () => slide(far, 0, 0))
  useKey('arrowleft', () => slide(-far, 0, 0))
  useKey('arrowup', () => slide(0, far, 0))
  useKey('arrowdown', () => slide(0, -far, 0))
  useKey('pageup', () => slide(0, 0, far))
  useKey('pagedown', () => slide(0, 0, -far))
  useKey('q', () => hand.move(turned(pose, round * RADIANS)))
  useKey('e', () => hand.move(turned(pose, -round * RADIANS)))
  useKey('ctrl+z', hand.back, hand.moved)
  const to = (k: 0 | 1 | 2) => (m: number | null) => {
    if (m == null) return
    const by: [number, number, number] = [0, 0, 0]
    by[k] = m - at[k]
    slide(...by)
  }
  return (
    <>
      <div className="numbers">
        <label>
          {words.along}
          <LengthInput label={words.along2} value={at[0]} onChange={to(0)} digits={1} />
        </label>
        <label>
          {words.across}
          <LengthInput label={words.across2} value={at[1]} onChange={to(1)} digits={1} />
        </label>
        <label>
          {words.up}
          <LengthInput label={words.up2} value={at[2]} onChange={to(2)} digits={1} />
        </label>
        <label>
          {words.heading}
          <InputNumber
            aria-label={words.heading}
            controls={false}
            suffix="°"
            decimalSeparator={settings().decimal}
            value={Number((headingOf(pose) / RADIANS).toFixed(3))}
            onChange={(v) => v != null && hand.move(turned(pose, Number(v) * RADIANS - headingOf(pose)))}
          />
        </label>
      </div>
      <div className="bar">
        <span className="faint">{words.keysGo}</span>
        <Segmented
          size="small"
          aria-label={words.stepOfTheKeys}
          value={step}
          onChange={(v) => setStep(v)}
          options={STEPS.map(([m, d], k) => ({ value: k, label: `${u.len(m, 2)} ${u.code}, ${d}°` }))}
        />
      </div>
      <p className="faint">{words.dragTheOchreScanText}</p>
    </>
  )
}
