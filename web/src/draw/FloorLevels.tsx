import { Button } from 'antd'
import { draw as words } from '../words'
import { type Drawn, type Edit } from './drawn'
import { atOpening, FLOOR, nextName } from './features'
import type { Drawing } from './useDrawing'
import { useMeasure } from './useMeasure'

/** Openings that have no floor level, and a way to measure all of them. */
export function FloorLevels({ drawing, items, edit }: { drawing: Drawing; items: Drawn[]; edit: boolean }) {
  const measure = useMeasure(drawing)
  const without = drawing.data?.without_level ?? []
  const openings = drawing.items.filter((d) => without.includes(d.id))
  const some = drawing.items.some((d) => d.kind === 'opening' && d.data.to_the_floor)
  const all = () => {
    const floor = (d: Drawn) => drawing.items.find((s) => s.id === d.data.sheet)?.data.level?.[0]
    let named = items
    const asked = openings.flatMap((d) => {
      const at = atOpening(d, floor(d) ?? undefined)
      if (!at) return []
      const name = nextName(named, words.door)
      const of: Edit = {
        id: crypto.randomUUID(),
        kind: 'feature',
        data: { code: FLOOR, snap: 'ground', of: d.id, name },
      }
      named = [...named, { ...d, data: { name } }]
      return [{ of, asked: at }]
    })
    measure.mutate(asked)
  }
  if (!some) return null
  return (
    <p>
      {openings.length > 0 ? (
        <>
          <b className="warn">{words.withoutLevel(openings.length)}</b>{' '}
          {edit && (
            <Button size="small" loading={measure.isPending} onClick={all}>
              {words.measureLevels}
            </Button>
          )}
        </>
      ) : (
        words.allLevelled
      )}
    </p>
  )
}
