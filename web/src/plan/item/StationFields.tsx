import { Checkbox, InputNumber, Select } from 'antd'
import { LengthInput } from '../../parts/LengthInput'
import { Field, type ItemPart, Tick } from './fields'
import { plan as words } from '../../words'

/** Of an instrument over its mark, metres. */
const HEIGHT = 1.65

/** Settings of a station, the mark it stands over, the marks it sights. */
export function StationFields({ items, d, edit, put, step }: ItemPart & { step: number }) {
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
  return (
    <>
      <Field name="Step here">
        <InputNumber
          aria-label={words.stepHere}
          value={d.step == null ? null : Number((d.step * 1e3).toFixed(3))}
          placeholder={(step * 1e3).toFixed(2)}
          min={0.2}
          max={100}
          disabled={!edit}
          controls={false}
          style={{ width: '100%' }}
          suffix="mrad"
          onChange={(v) => put({ step: v == null ? undefined : Number(v) / 1e3 })}
        />
      </Field>
      <Field name="Repeats">
        <InputNumber
          aria-label={words.repeats}
          value={d.repeats}
          placeholder="1"
          min={1}
          max={64}
          precision={0}
          disabled={!edit}
          controls={false}
          style={{ width: '100%' }}
          onChange={(v) => put({ repeats: v ?? undefined })}
        />
      </Field>
      <Field name="Order">
        <InputNumber
          aria-label={words.order}
          value={d.order}
          min={1}
          max={9999}
          precision={0}
          disabled={!edit}
          controls={false}
          style={{ width: '100%' }}
          onChange={(v) => put({ order: v ?? undefined })}
        />
      </Field>
      <Tick>
        <Checkbox checked={!!d.locked} disabled={!edit} onChange={(e) => put({ locked: e.target.checked })}>
          {words.lockedL}
        </Checkbox>
      </Tick>
      <Tick>
        <Checkbox checked={!!d.photographs} disabled={!edit} onChange={(e) => put({ photographs: e.target.checked })}>
          {words.photographs}
        </Checkbox>
      </Tick>
      {(marks.length > 0 || d.over) && (
        <Field name="Stands over">
          <Select
            aria-label={words.standsOver}
            allowClear
            placeholder={words.noMark}
            value={d.over}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(id?: string) => over(id)}
            options={marks}
          />
        </Field>
      )}
      {d.over && (
        <Field name="Instrument height">
          <LengthInput
            label={words.instrumentHeight}
            value={d.instrument_height ?? HEIGHT}
            disabled={!edit}
            onChange={(v) => over(d.over ?? undefined, v ?? HEIGHT)}
          />
        </Field>
      )}
      {marks.length > 0 && (
        <Field wide name={words.sightsTheBacksightFirst}>
          <Select
            aria-label={words.sights}
            mode="multiple"
            placeholder={words.none}
            value={d.sights ?? []}
            disabled={!edit}
            style={{ width: '100%' }}
            onChange={(sights: string[]) => put({ sights })}
            options={marks.filter((m) => m.value !== d.over)}
          />
        </Field>
      )}
    </>
  )
}
