import { Checkbox, Select } from 'antd'
import { LengthInput } from '../../parts/LengthInput'
import { Degrees, Field, type ItemPart, Tick } from './fields'

/** What a target is, and whether it will be known. */
export function TargetFields({ d, edit, put }: ItemPart) {
  return (
    <>
      <Field name="Kind">
        <Select
          aria-label="Kind"
          value={d.target ?? 'sphere'}
          disabled={!edit}
          style={{ width: '100%' }}
          onChange={(target) =>
            put({
              target,
              ...(target === 'mark' && d.position
                ? { position: [d.position[0]!, d.position[1]!, 0] as [number, number, number] }
                : {}),
            })
          }
          options={[
            { value: 'sphere', label: 'sphere' },
            { value: 'checker', label: 'checker' },
            { value: 'mark', label: 'mark on the ground' },
          ]}
        />
      </Field>
      {d.target === 'checker' && (
        <Degrees
          name="Faces, from north"
          value={d.facing}
          edit={edit}
          empty="on a pivot"
          onChange={(v) => put({ facing: v })}
        />
      )}
      <Tick>
        <Checkbox
          checked={!!d.control_sigma}
          disabled={!edit}
          onChange={(e) => put({ control_sigma: e.target.checked ? [0.002, 0.002] : undefined, check: false })}
        >
          will be known
        </Checkbox>
      </Tick>
      {d.control_sigma && (
        <Field name="Known to, 1σ">
          <LengthInput
            small
            label="Control sigma"
            value={d.control_sigma[0]}
            disabled={!edit}
            onChange={(v) => put({ control_sigma: [v ?? 0.002, v ?? 0.002] })}
          />
        </Field>
      )}
      {d.control_sigma && (
        <Tick>
          <Checkbox checked={!!d.check} disabled={!edit} onChange={(e) => put({ check: e.target.checked })}>
            held back as a check
          </Checkbox>
        </Tick>
      )}
    </>
  )
}
