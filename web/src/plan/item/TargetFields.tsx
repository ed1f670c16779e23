import { Checkbox, Select } from 'antd'
import { LengthInput } from '../../parts/LengthInput'
import { Degrees, Field, type ItemPart, Tick } from './fields'
import { plan as words } from '../../words'

/** What a target is, and whether it will be known. */
export function TargetFields({ d, edit, put }: ItemPart) {
  return (
    <>
      <Field name="Kind">
        <Select
          aria-label={words.kind}
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
            { value: 'sphere', label: words.sphere },
            { value: 'checker', label: words.checker },
            { value: 'mark', label: words.markOnTheGround },
          ]}
        />
      </Field>
      {d.target === 'checker' && (
        <Degrees
          name={words.facesFromNorth}
          value={d.facing}
          edit={edit}
          empty={words.onAPivot}
          onChange={(v) => put({ facing: v })}
        />
      )}
      <Tick>
        <Checkbox
          checked={!!d.control_sigma}
          disabled={!edit}
          onChange={(e) => put({ control_sigma: e.target.checked ? [0.002, 0.002] : undefined, check: false })}
        >
          {words.willBeKnown}
        </Checkbox>
      </Tick>
      {d.control_sigma && (
        <Field name="Known to, 1σ">
          <LengthInput
            small
            label={words.controlSigma}
            value={d.control_sigma[0]}
            disabled={!edit}
            onChange={(v) => put({ control_sigma: [v ?? 0.002, v ?? 0.002] })}
          />
        </Field>
      )}
      {d.control_sigma && (
        <Tick>
          <Checkbox checked={!!d.check} disabled={!edit} onChange={(e) => put({ check: e.target.checked })}>
            {words.heldBackAsA}
          </Checkbox>
        </Tick>
      )}
    </>
  )
}
