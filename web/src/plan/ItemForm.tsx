import { Button, Checkbox, Input, InputNumber, Select } from 'antd'
import { useState } from 'react'
import type { Schema } from '../api/client'
import { useDraft } from '../lib/draft'
import { Conflicts, Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { useUnits } from '../lib/units'
import { Distances } from './Distances'
import type { Item } from './usePlan'

type Data = Schema['PlanData']
const DEGREE = Math.PI / 180
/** Of an instrument over its mark, metres. */
const HEIGHT = 1.65
/** What the lower height of a kind is called. */
const BASES: Record<string, string> = { floor: 'Height', edge: 'Lower ground' }
export const KIND_NAMES: Record<string, string> = {
  wall: 'Wall',
  obstacle: 'Obstacle',
  column: 'Column',
  floor: 'Floor',
  area: 'Area',
  edge: 'Breakline',
  height: 'Spot height',
  underlay: 'Underlay',
  station: 'Station',
  target: 'Target',
}

/** Everything about one item, by number. Enter applies. */
export function ItemForm({
  item,
  items,
  edit,
  step,
  onChange,
  onRemove,
}: {
  item: Item
  items: Item[]
  edit: boolean
  step: number
  onChange: (d: Data) => void
  onRemove: () => void
}) {
  const draft = useDraft(`vistazo-item ${item.id}`, item.data, item.version)
  const { value: d, set } = draft
  const put = (part: Partial<Data>) => set({ ...d, ...part })
  const k = item.kind
  const changed = draft.changed && draft.conflicts.length === 0
  const upright = k === 'wall' || k === 'obstacle' || k === 'column' || k === 'edge'
  const grounded = k === 'height' || d.target === 'mark'
  const point = k === 'station' || k === 'target' || k === 'column' || k === 'height'
  const marks = items
    .filter((i) => i.kind === 'target' && i.data.target === 'mark')
    .map((i) => ({ value: i.id, label: i.data.name }))
  const over = (id: string | undefined, height?: number | null) => {
    const mark = items.find((i) => i.id === id)
    const h = height ?? d.instrument_height ?? HEIGHT
    const p = mark?.data.position
    put({
      over: id,
      instrument_height: id ? h : undefined,
      ...(p ? { position: [p[0]!, p[1]!, p[2]! + h] as [number, number, number] } : {}),
    })
  }
  const field = (name: string, input: React.ReactNode) => (
    <div className="field" key={name}>
      <span className="label">{name}</span>
      {input}
    </div>
  )
  const degrees = (name: string, v: number | null | undefined, on: (r: number | undefined) => void, empty?: string) =>
    field(
      name,
      <InputNumber
        aria-label={name}
        value={v == null ? null : Number((v / DEGREE).toFixed(2))}
        placeholder={empty}
        disabled={!edit}
        controls={false}
        style={{ width: '100%' }}
        suffix="°"
        onChange={(x) => on(x == null ? undefined : Number(x) * DEGREE)}
      />,
    )
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        draft.discard()
        onChange(d)
      }}
    >
      <Head
        aside={
          edit && (
            <Button danger size="small" onClick={onRemove}>
              Remove
            </Button>
          )
        }
      >
        {item.data.name.startsWith(KIND_NAMES[k]!) ? '' : `${KIND_NAMES[k]} `}
        {item.data.name}
      </Head>
      <Conflicts draft={draft} name={(p) => p.replaceAll('_', ' ')} />
      <div className="fields" style={{ gridTemplateColumns: 'repeat(4, 1fr)' }}>
        {field(
          'Name',
          <Input aria-label="Name" value={d.name} disabled={!edit} onChange={(e) => put({ name: e.target.value })} />,
        )}
        {point &&
          ['x', 'y', 'z']
            .filter((a) => k !== 'column' || a !== 'z')
            .map((axis, i) =>
              field(
                axis === 'z' ? `z (${grounded ? 'ground' : 'centre'})` : axis,
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
              label="Radius"
              value={d.radius}
              disabled={!edit}
              onChange={(v) => put({ radius: v ?? 0.2 })}
            />,
          )}
        {(upright || k === 'floor') &&
          field(
            BASES[k] ?? 'Base',
            <LengthInput label="Base" value={d.base} disabled={!edit} onChange={(v) => put({ base: v ?? 0 })} />,
          )}
        {upright &&
          field(
            k === 'edge' ? 'Upper ground' : 'Top',
            <LengthInput label="Top" value={d.top} disabled={!edit} onChange={(v) => put({ top: v ?? 0 })} />,
          )}
        {(k === 'wall' || k === 'floor') &&
          field(
            'Point spacing required',
            <LengthInput
              small
              label="Point spacing required"
              value={d.required_spacing}
              disabled={!edit}
              onChange={(v) => put({ required_spacing: v ?? undefined })}
            />,
          )}
        {(k === 'wall' || k === 'floor') &&
          d.required_spacing != null &&
          degrees('Incidence up to', d.required_incidence, (v) => put({ required_incidence: v }), '70')}
        {(k === 'wall' || k === 'floor') &&
          d.required_spacing != null &&
          field(
            'Accuracy, 95 %',
            <LengthInput
              small
              label="Accuracy required"
              value={d.required_accuracy}
              disabled={!edit}
              onChange={(v) => put({ required_accuracy: v ?? undefined })}
            />,
          )}
        {k === 'area' &&
          field(
            'Use',
            <Select
              aria-label="Use of the area"
              value={d.area ?? 'no_go'}
              disabled={!edit}
              style={{ width: '100%' }}
              onChange={(area) => put({ area })}
              options={[
                { value: 'no_go', label: 'no instrument' },
                { value: 'hazard', label: 'hazard' },
              ]}
            />,
          )}
        {k === 'station' &&
          field(
            'Step here',
            <InputNumber
              aria-label="Step here"
              value={d.step == null ? null : Number((d.step * 1e3).toFixed(3))}
              placeholder={(step * 1e3).toFixed(2)}
              min={0.2}
              max={100}
              disabled={!edit}
              controls={false}
              style={{ width: '100%' }}
              suffix="mrad"
              onChange={(v) => put({ step: v == null ? undefined : Number(v) / 1e3 })}
            />,
          )}
        {k === 'station' &&
          field(
            'Repeats',
            <InputNumber
              aria-label="Repeats"
              value={d.repeats}
              placeholder="1"
              min={1}
              max={64}
              precision={0}
              disabled={!edit}
              controls={false}
              style={{ width: '100%' }}
              onChange={(v) => put({ repeats: v ?? undefined })}
            />,
          )}
        {k === 'station' &&
          field(
            'Order',
            <InputNumber
              aria-label="Order"
              value={d.order}
              min={1}
              max={9999}
              precision={0}
              disabled={!edit}
              controls={false}
              style={{ width: '100%' }}
              onChange={(v) => put({ order: v ?? undefined })}
            />,
          )}
        {k === 'station' && (
          <div className="field" style={{ alignSelf: 'end' }}>
            <Checkbox checked={!!d.locked} disabled={!edit} onChange={(e) => put({ locked: e.target.checked })}>
              locked (l)
            </Checkbox>
          </div>
        )}
        {k === 'station' && (
          <div className="field" style={{ alignSelf: 'end' }}>
            <Checkbox
              checked={!!d.photographs}
              disabled={!edit}
              onChange={(e) => put({ photographs: e.target.checked })}
            >
              photographs
            </Checkbox>
          </div>
        )}
        {k === 'station' &&
          (marks.length > 0 || d.over) &&
          field(
            'Stands over',
            <Select
              aria-label="Stands over"
              allowClear
              placeholder="no mark"
              value={d.over}
              disabled={!edit}
              style={{ width: '100%' }}
              onChange={(id?: string) => over(id)}
              options={marks}
            />,
          )}
        {k === 'station' &&
          d.over &&
          field(
            'Instrument height',
            <LengthInput
              label="Instrument height"
              value={d.instrument_height ?? HEIGHT}
              disabled={!edit}
              onChange={(v) => over(d.over ?? undefined, v ?? HEIGHT)}
            />,
          )}
        {k === 'station' && marks.length > 0 && (
          <div className="field" style={{ gridColumn: 'span 2' }}>
            <span className="label">Sights, the backsight first</span>
            <Select
              aria-label="Sights"
              mode="multiple"
              placeholder="none"
              value={d.sights ?? []}
              disabled={!edit}
              style={{ width: '100%' }}
              onChange={(sights: string[]) => put({ sights })}
              options={marks.filter((m) => m.value !== d.over)}
            />
          </div>
        )}
        {k === 'target' &&
          field(
            'Kind',
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
            />,
          )}
        {k === 'target' &&
          d.target === 'checker' &&
          degrees('Faces, from north', d.facing, (v) => put({ facing: v }), 'on a pivot')}
        {k === 'target' && (
          <div className="field" style={{ alignSelf: 'end' }}>
            <Checkbox
              checked={!!d.control_sigma}
              disabled={!edit}
              onChange={(e) => put({ control_sigma: e.target.checked ? [0.002, 0.002] : undefined, check: false })}
            >
              will be known
            </Checkbox>
          </div>
        )}
        {k === 'target' &&
          d.control_sigma &&
          field(
            'Known to, 1σ',
            <LengthInput
              small
              label="Control sigma"
              value={d.control_sigma[0]}
              disabled={!edit}
              onChange={(v) => put({ control_sigma: [v ?? 0.002, v ?? 0.002] })}
            />,
          )}
        {k === 'target' && d.control_sigma && (
          <div className="field" style={{ alignSelf: 'end' }}>
            <Checkbox checked={!!d.check} disabled={!edit} onChange={(e) => put({ check: e.target.checked })}>
              held back as a check
            </Checkbox>
          </div>
        )}
      </div>
      {d.target === 'checker' && (
        <p className="faint">
          Hang it turned by some 20°, anticlockwise as seen from the front: the predicted error counts on it.
        </p>
      )}
      {(d.line?.length ?? 0) > 0 && <Vertices d={d} closed={k !== 'wall' && k !== 'edge'} edit={edit} put={put} />}
      {k === 'target' && <Distances d={d} items={items} own={item.id} edit={edit} put={put} />}
      {k === 'wall' && <Openings d={d} edit={edit} put={put} />}
      {edit && changed && (
        <div className="bar">
          <Button type="primary" htmlType="submit">
            Apply
          </Button>
          <Button onClick={() => set(item.data)}>Leave as it was</Button>
        </div>
      )}
    </form>
  )
}

/** The corners by number, and how far each is from the one before. */
function Vertices({
  d,
  closed,
  edit,
  put,
}: {
  d: Data
  closed: boolean
  edit: boolean
  put: (p: Partial<Data>) => void
}) {
  const u = useUnits()
  const [open, setOpen] = useState(false)
  const line = d.line ?? []
  const change = (k: number, axis: number, v: number | null) =>
    put({ line: line.map((p, i) => (i === k ? p.map((o, a) => (a === axis ? (v ?? 0) : o)) : p)) })
  const last = line.at(-1) ?? [0, 0]
  const before = line.at(-2) ?? last
  const further = [2 * last[0]! - before[0]!, 2 * last[1]! - before[1]!] as [number, number]
  if (!open)
    return (
      <Button size="small" type="text" onClick={() => setOpen(true)}>
        {line.length} corners by number…
      </Button>
    )
  const side = (p: number[], q: number[]) => u.len(Math.hypot(p[0]! - q[0]!, p[1]! - q[1]!), 3)
  return (
    <table className="ledger" aria-label="Corners">
      <thead>
        <tr>
          <th>Corner</th>
          <th>x</th>
          <th>y</th>
          <th className="num">from the last [{u.code}]</th>
          <th>
            {edit && (
              <Button type="text" size="small" onClick={() => put({ line: [...line, further] as Data['line'] })}>
                add
              </Button>
            )}
          </th>
        </tr>
      </thead>
      <tbody>
        {line.map((p, k) => (
          <tr key={k}>
            <td>{k + 1}</td>
            {[0, 1].map((a) => (
              <td key={a}>
                <LengthInput
                  label={`${'xy'[a]} of corner ${k + 1}`}
                  value={p[a]}
                  disabled={!edit}
                  onChange={(v) => change(k, a, v)}
                />
              </td>
            ))}
            <td className="num">{(k > 0 || closed) && side(p, line[k - 1] ?? last)}</td>
            <td>
              {edit && line.length > (closed ? 3 : 2) && (
                <Button type="text" size="small" onClick={() => put({ line: line.filter((_, i) => i !== k) })}>
                  remove
                </Button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** Doors, windows, gates: what a wall lets through. */
function Openings({ d, edit, put }: { d: Data; edit: boolean; put: (p: Partial<Data>) => void }) {
  const list = d.openings ?? []
  const length = (d.line ?? [])
    .slice(1)
    .reduce((s, p, i) => s + Math.hypot(p[0]! - d.line![i]![0]!, p[1]! - d.line![i]![1]!), 0)
  const change = (k: number, part: Partial<Schema['OpeningDto']>) =>
    put({ openings: list.map((o, i) => (i === k ? { ...o, ...part } : o)) })
  const add = (door: boolean) =>
    put({
      openings: [
        ...list,
        {
          name: `${door ? 'Door' : 'Window'} ${list.length + 1}`,
          at: length / 2,
          width: Math.min(1, length / 2),
          sill: (d.base ?? 0) + (door ? 0 : 0.9),
          head: (d.base ?? 0) + 2.1,
        },
      ],
    })
  return (
    <div>
      {list.length > 0 && (
        <table className="ledger" aria-label="Openings">
          <thead>
            <tr>
              <th>Opening</th>
              <th>middle, along</th>
              <th>width</th>
              <th>sill</th>
              <th>head</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {list.map((o, k) => (
              <tr key={k}>
                <td>
                  <Input
                    aria-label={`Name of opening ${k + 1}`}
                    value={o.name}
                    disabled={!edit}
                    onChange={(e) => change(k, { name: e.target.value })}
                  />
                </td>
                {(['at', 'width', 'sill', 'head'] as const).map((f) => (
                  <td key={f}>
                    <LengthInput
                      label={`${f} of ${o.name}`}
                      value={o[f]}
                      disabled={!edit}
                      onChange={(v) => change(k, { [f]: v ?? 0 })}
                    />
                  </td>
                ))}
                <td>
                  {edit && (
                    <Button type="text" size="small" onClick={() => put({ openings: list.filter((_, i) => i !== k) })}>
                      remove
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {edit && (
        <div className="bar">
          <Button size="small" onClick={() => add(true)}>
            Add a door
          </Button>
          <Button size="small" onClick={() => add(false)}>
            Add a window
          </Button>
        </div>
      )}
    </div>
  )
}
