import { Button, Input, InputNumber } from 'antd'
import type { Schema } from '../api/client'
import { LengthInput } from '../parts/LengthInput'
import { field as words } from '../words'

type SetUpT = Schema['SetUpDto']
type Sight = Schema['SightDto']
const DEG = Math.PI / 180
const BLANK: Sight = { mark: '', height: 1.5, direction: 0, elevation: 0, distance: null }

/** The point occupied and what was sighted from it: both go into the adjustment. */
export function SetUp({
  value,
  height,
  derived = false,
  onChange,
}: {
  value: SetUpT
  height: number | null | undefined
  /** The height over the point is entered elsewhere. */
  derived?: boolean
  onChange: (s: SetUpT) => void
}) {
  const sights = value.sights ?? []
  const put = (i: number, part: Partial<Sight>) =>
    onChange({ ...value, sights: sights.map((s, k) => (k === i ? { ...s, ...part } : s)) })
  return (
    <>
      <div className="fields">
        <div className="field">
          <span className="label">{words.occupiedPointEmptyNone}</span>
          <Input
            aria-label={words.occupiedPoint}
            value={value.mark}
            onChange={(e) => onChange({ ...value, mark: e.target.value, height: height ?? value.height ?? 0 })}
          />
        </div>
        {value.mark && !derived && (
          <div className="field">
            <span className="label">{words.instrumentHeightOverIt}</span>
            <LengthInput
              label={words.heightOverTheOccupied}
              value={value.height}
              onChange={(v) => onChange({ ...value, height: v ?? 0 })}
            />
          </div>
        )}
      </div>
      {value.mark &&
        sights.map((s, i) => (
          <div className="fields" key={i}>
            <div className="field">
              <span className="label">{words.backsightTo}</span>
              <Input
                aria-label={words.backsight(i + 1)}
                value={s.mark}
                onChange={(e) => put(i, { mark: e.target.value })}
              />
            </div>
            <div className="field">
              <span className="label">{words.heightOfItsReflector}</span>
              <LengthInput
                label={words.reflectorHeight(i + 1)}
                value={s.height}
                onChange={(v) => put(i, { height: v ?? 0 })}
              />
            </div>
            {(['direction', 'elevation'] as const).map((key) => (
              <div className="field" key={key}>
                <span className="label">{key === 'direction' ? words.directionFromTheScanners : words.elevation}</span>
                <InputNumber
                  aria-label={`${key} ${i + 1}`}
                  controls={false}
                  style={{ width: '100%' }}
                  suffix="°"
                  value={Number(((s[key] ?? 0) / DEG).toFixed(6))}
                  onChange={(v) => put(i, { [key]: Number(v ?? 0) * DEG })}
                />
              </div>
            ))}
            <div className="field">
              <span className="label">{words.slopeDistanceEmptyNot}</span>
              <LengthInput
                label={words.distance(i + 1)}
                digits={4}
                value={s.distance}
                onChange={(distance) => put(i, { distance })}
              />
            </div>
            <div className="field">
              <span className="label">&nbsp;</span>
              <Button onClick={() => onChange({ ...value, sights: sights.filter((_, k) => k !== i) })}>
                {words.removeBacksight}
              </Button>
            </div>
          </div>
        ))}
      {value.mark && (
        <Button className="spaced" onClick={() => onChange({ ...value, sights: [...sights, BLANK] })}>
          {words.addABacksight}
        </Button>
      )}
    </>
  )
}
