import { Select } from 'antd'
import { LengthInput } from '../../parts/LengthInput'
import { Degrees, Field, type ItemPart } from './fields'
import { plan as words } from '../../words'

/** What the lower height of a kind is called. */
const BASES: Record<string, string> = { floor: words.height, edge: words.lowerGround, walk: words.floorHeight }

/** What an area may ask for in place of the brief, 95 %. */
const LIMITS = [
  ['horizontal95', words.horizontal95],
  ['vertical95', words.height95],
  ['spatial95', words.inSpace95],
] as const

/** Where an item is, how high, and what is required of it. */
export function ShapeFields({ item, items, d, edit, put }: ItemPart) {
  const k = item.kind
  const upright = k === 'wall' || k === 'obstacle' || k === 'column' || k === 'edge'
  const grounded = k === 'height' || d.target === 'mark'
  const point = k === 'station' || k === 'target' || k === 'column' || k === 'height'
  const field = (name: string, input: React.ReactNode) => (
    <Field key={name} name={name}>
      {input}
    </Field>
  )
  return (
    <>
      {point &&
        ['x', 'y', 'z']
          .filter((a) => k !== 'column' || a !== 'z')
          .map((axis, i) =>
            field(
              axis === 'z' ? `z (${grounded ? words.ground : words.centre})` : axis,
              <LengthInput
                label={axis}
                value={d.position?.[i]}
                disabled={!edit || !!d.over}
                onChange={(v) =>
                  put({
                    position: (d.position ?? [0, 0, 0]).map((o: number, j: number) => (j === i ? (v ?? 0) : o)),
                  })
                }
              />,
            ),
          )}
      {k === 'column' &&
        field(
          'Radius',
          <LengthInput
            small
            label={words.radius}
            value={d.radius}
            disabled={!edit}
            onChange={(v) => put({ radius: v ?? 0.2 })}
          />,
        )}
      {(upright || k === 'floor' || k === 'walk') &&
        field(
          BASES[k] ?? words.base,
          <LengthInput label={words.base} value={d.base} disabled={!edit} onChange={(v) => put({ base: v ?? 0 })} />,
        )}
      {upright &&
        field(
          k === 'edge' ? words.upperGround : words.top,
          <LengthInput label={words.top} value={d.top} disabled={!edit} onChange={(v) => put({ top: v ?? 0 })} />,
        )}
      {(k === 'wall' || k === 'floor') &&
        field(
          words.pointSpacingRequired,
          <LengthInput
            small
            label={words.pointSpacingRequired}
            value={d.required_spacing}
            disabled={!edit}
            onChange={(v) => put({ required_spacing: v ?? undefined })}
          />,
        )}
      {(k === 'wall' || k === 'floor') && d.required_spacing != null && (
        <Degrees
          name={words.incidenceUpTo}
          value={d.required_incidence}
          edit={edit}
          empty="70"
          onChange={(v) => put({ required_incidence: v })}
        />
      )}
      {(k === 'wall' || k === 'floor') &&
        d.required_spacing != null &&
        field(
          'Accuracy, 95 %',
          <LengthInput
            small
            label={words.accuracyRequired}
            value={d.required_accuracy}
            disabled={!edit}
            onChange={(v) => put({ required_accuracy: v ?? undefined })}
          />,
        )}
      {k === 'area' && <AreaFields {...{ item, items, d, edit, put }} />}
    </>
  )
}

/** What an area is for; one with limits of its own says which. */
function AreaFields({ d, edit, put }: ItemPart) {
  return (
    <>
      <Field name="Use">
        <Select
          aria-label={words.useOfTheArea}
          value={d.area ?? 'no_go'}
          disabled={!edit}
          style={{ width: '100%' }}
          onChange={(area) => put({ area })}
          options={[
            { value: 'no_go', label: words.noInstrument },
            { value: 'hazard', label: words.hazard },
            { value: 'limits', label: words.limitsOfItsOwn },
          ]}
        />
      </Field>
      {d.area === 'limits' &&
        LIMITS.map(([key, name]) => (
          <Field key={key} name={name}>
            <LengthInput
              small
              label={words.limitOf(name)}
              value={d[key]}
              disabled={!edit}
              onChange={(v) => put({ [key]: v ?? undefined })}
            />
          </Field>
        ))}
    </>
  )
}
