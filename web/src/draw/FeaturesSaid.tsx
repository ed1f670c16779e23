import { Button } from 'antd'
import { useUnits } from '../lib/units'
import { draw as words } from '../words'
import type { Drawn } from './drawn'
import { isKnown, worstShot } from './features'
import type { Drawing } from './useDrawing'

/** How much is known, and what may be there twice. */
export function FeaturesSaid({
  items,
  drawing,
  onShow,
}: {
  items: Drawn[]
  drawing: Drawing
  onShow: (id: string) => void
}) {
  const u = useUnits()
  if (items.length === 0) return <p className="empty">{words.noFeature}</p>
  const errors = items.flatMap((d) => worstShot(d, 1) ?? []).sort((a, b) => a - b)
  const named = (id: string) => {
    const d = items.find((d) => d.id === id)
    return d?.data.name || d?.data.code || ''
  }
  return (
    <>
      <p className="told">
        <b>{words.featuresKnown(items.filter(isKnown).length, items.length)}</b>
        {errors.length > 0 &&
          `; ${words.featuresWithin(u.err(errors[Math.floor(errors.length / 2)]), u.err(errors.at(-1)), u.small)}`}
        .
      </p>
      {(drawing.data?.twice ?? []).map(([a, b]) => (
        <p key={`${a} ${b}`} className="warn">
          {words.drawnTwice(named(a!), named(b!))}{' '}
          <Button size="small" onClick={() => onShow(b!)}>
            {words.show}
          </Button>
        </p>
      ))}
    </>
  )
}
