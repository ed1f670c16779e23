import { Button, InputNumber, Slider } from 'antd'
import { useState } from 'react'
import type { Schema } from '../api/client'
import { LengthInput } from '../parts/LengthInput'
import type { Item } from './usePlan'
import { plan as words } from '../words'

/** Scale and turn of a picture by two points of it: where the first lies, how far the second is and which way. */
export function FitUnderlay({
  item,
  line,
  onFit,
  onStart,
}: {
  item: Item
  line: [number, number][] | null
  onFit: (d: Schema['PlanData']) => void
  onStart: () => void
}) {
  const [a, b] = line ?? [
    [0, 0],
    [1, 0],
  ]
  const [d0, t0] = [Math.hypot(b![0] - a![0], b![1] - a![1]), Math.atan2(b![1] - a![1], b![0] - a![0])]
  const [length, setLength] = useState<number | null>(d0)
  const [first, setFirst] = useState<[number, number]>([a![0], a![1]])
  const [angle, setAngle] = useState<number | null>((t0 * 180) / Math.PI)
  const fit = () => {
    const k = (length ?? d0) / d0
    const turn = ((angle ?? 0) * Math.PI) / 180 - t0
    const [s, c] = [Math.sin(turn), Math.cos(turn)]
    const p = item.data.position ?? [0, 0, 0]
    const [x, y] = [p[0]! - a![0], p[1]! - a![1]]
    onFit({
      ...item.data,
      scale: (item.data.scale ?? 1) * k,
      turn: (item.data.turn ?? 0) + turn,
      position: [first[0] + k * (c * x - s * y), first[1] + k * (s * x + c * y), 0],
    })
  }
  return (
    <div>
      <label>
        {words.howStronglyItIs}
        <Slider
          min={0.1}
          max={1}
          step={0.05}
          value={item.data.opacity ?? 0.5}
          onChange={(opacity) => onFit({ ...item.data, opacity })}
        />
      </label>
      {!line ? (
        <div className="bar">
          <Button type="primary" onClick={onStart}>
            {words.fitByTwoPoints}
          </Button>
          <span className="faint">{words.clickTwoPointsOfThe}</span>
        </div>
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault()
            fit()
          }}
        >
          <div className="fields" style={{ gridTemplateColumns: 'repeat(4, 1fr)' }}>
            <div className="field">
              <span className="label">{words.firstPointX}</span>
              <LengthInput label={words.firstPointX2} value={first[0]} onChange={(v) => setFirst([v ?? 0, first[1]])} />
            </div>
            <div className="field">
              <span className="label">{words.firstPointY}</span>
              <LengthInput label={words.firstPointY2} value={first[1]} onChange={(v) => setFirst([first[0], v ?? 0])} />
            </div>
            <div className="field">
              <span className="label">{words.trueDistance}</span>
              <LengthInput label={words.trueDistance} value={length} onChange={setLength} />
            </div>
            <div className="field">
              <span className="label">{words.directionFromX}</span>
              <InputNumber
                aria-label={words.direction}
                value={angle == null ? null : Number(angle.toFixed(3))}
                suffix="°"
                controls={false}
                style={{ width: '100%' }}
                onChange={(v) => setAngle(v == null ? null : Number(v))}
              />
            </div>
          </div>
          <div className="bar">
            <Button type="primary" htmlType="submit" disabled={!length || d0 < 1e-6}>
              {words.fitThePicture}
            </Button>
            <Button onClick={onStart}>{words.otherPoints}</Button>
          </div>
        </form>
      )}
    </div>
  )
}
