import { Button, Input, InputNumber, Select } from 'antd'
import { useState } from 'react'
import type { Schema } from '../api/client'
import { useDraft } from '../lib/draft'
import { chance } from '../lib/format'
import { useKey } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Conflicts, Head, Ledger } from '../parts'
import { type Control, type NewControl, pointOf, type useControl } from './useControl'
import { georeference as words } from '../words'

type Residual = Schema['ControlResidualDto']

/** Control and check points: coordinates and σ to be edited in place, what each is, how it fits. */
export function ControlTable({
  control,
  residuals,
  names,
  edit,
}: {
  control: ReturnType<typeof useControl>
  residuals: Residual[]
  names: string[]
  edit: boolean
}) {
  const u = useUnits()
  const [picked, setPicked] = useState<string | null>(null)
  useKey('ctrl+z', () => control.undo?.(), edit)
  useKey('ctrl+y', () => control.redo?.(), edit)
  useKey('ctrl+shift+z', () => control.redo?.(), edit)
  const { rows } = control
  const one = rows.find((c) => c.id === picked)
  const of = (c: Control) => residuals.find((x) => x.control === c.id)
  const axis = (i: 0 | 1 | 2) => (c: Control) => {
    const r = of(c)
    const unknown = i < 2 ? c.e == null : c.h == null
    return r && !unknown ? (
      <span className={Math.abs(r.residual[i] ?? 0) > (r.expected[i] ?? 0) * 1.5 ? 'warn' : ''}>
        {u.err(r.residual[i])} <span className="faint">± {u.err(r.expected[i])}</span>
      </span>
    ) : (
      '–'
    )
  }
  const target = (c: Control) => {
    const found = of(c)?.target
    if (!edit) return found ?? '–'
    return (
      <Select
        aria-label={words.targetOf(c.name)}
        size="small"
        style={{ width: 88 }}
        value={c.target ?? ''}
        onChange={(v) => control.change(c, { target: v || null })}
        options={[{ value: '', label: found ?? words.byGeometry }, ...names.map((value) => ({ value }))]}
      />
    )
  }
  const use = (c: Control) =>
    edit ? (
      <Button
        size="small"
        aria-label={words.useOf(c.name, wordOf(c))}
        aria-pressed={c.is_check}
        title={words.controlOrCheckClick}
        style={{ width: 66, padding: 0 }}
        onClick={() => control.change(c, { is_check: !c.is_check })}
      >
        {wordOf(c)}
      </Button>
    ) : (
      wordOf(c)
    )
  return (
    <>
      <Head aside={words.toFitHeldBack(rows.filter((c) => !c.is_check).length, rows.filter((c) => c.is_check).length)}>
        {words.control}
      </Head>
      <Ledger
        label={words.control}
        rows={rows}
        id={(c) => c.id}
        selected={picked}
        onSelect={edit ? setPicked : undefined}
        empty={words.noControlYetPaste}
        tone={(c) => ((of(c)?.p_family ?? 1) < 0.01 ? 'bad' : undefined)}
        columns={[
          { head: words.point, cell: (c) => c.name },
          { head: words.use, cell: use },
          { head: words.target, cell: target },
          { head: <>{words.de95(u.small)}</>, num: true, cell: axis(0) },
          { head: <>{words.dn(u.small)}</>, num: true, cell: axis(1) },
          { head: <>{words.dh(u.small)}</>, num: true, cell: axis(2) },
          {
            head: 'p',
            num: true,
            cell: (c) => {
              const p = of(c)?.p_value
              return p == null ? '' : chance(p)
            },
          },
        ]}
      />
      {edit && (
        <div className="bar">
          <Button
            size="small"
            onClick={() =>
              control.add({
                name: free(rows),
                e: rows[0]?.e ?? 0,
                n: rows[0]?.n ?? 0,
                h: rows[0]?.h ?? 0,
                sigma_e: 0.002,
                sigma_n: 0.002,
                sigma_v: 0.002,
                is_check: false,
                target: null,
              })
            }
          >
            {words.addAPoint}
          </Button>
          {one && (
            <Button
              size="small"
              danger
              onClick={() => {
                control.remove(one)
                setPicked(null)
              }}
            >
              {words.remove(one.name)}
            </Button>
          )}
          <Button size="small" disabled={!control.undo} onClick={control.undo}>
            {words.undo}
          </Button>
          <Button size="small" disabled={!control.redo} onClick={control.redo}>
            {words.redo}
          </Button>
        </div>
      )}
      {edit && one && <PointForm key={one.id} point={one} onSave={(part) => control.change(one, part)} />}
    </>
  )
}

const wordOf = (c: Control) => (c.is_check ? words.check : words.controlPlain)

/** A name that no point has. */
function free(rows: Control[]) {
  let k = rows.length + 1
  while (rows.some((c) => c.name.toLowerCase() === `p${k}`)) k++
  return `P${k}`
}

/** All of one point. An emptied coordinate is not known: height-only and plan-only points. */
function PointForm({ point, onSave }: { point: Control; onSave: (part: NewControl) => void }) {
  const u = useUnits()
  const kept = useDraft(`vistazo-point ${point.id}`, pointOf(point), point.version)
  const { value: draft, set: setDraft, changed } = kept
  const small = u.code === 'm' ? 0.001 : u.metres
  const number = (
    label: string,
    key: 'e' | 'n' | 'h' | 'sigma_e' | 'sigma_n' | 'sigma_v',
    factor: number,
    digits: number,
    unit: string,
  ) => (
    <div className="field">
      <span className="label">{label}</span>
      <InputNumber
        aria-label={words.of(label, point.name)}
        controls={false}
        style={{ width: '100%' }}
        suffix={unit}
        value={draft[key] == null ? null : Number(((draft[key] ?? 0) / factor).toFixed(digits))}
        onChange={(v) => setDraft({ ...draft, [key]: v == null ? null : Number(v) * factor })}
      />
    </div>
  )
  return (
    <form
      className="fields"
      onSubmit={(e) => {
        e.preventDefault()
        onSave(draft)
        kept.discard()
      }}
    >
      <Conflicts draft={kept} name={(p) => p.replace('_', ' ')} />
      <div className="field">
        <span className="label">{words.name}</span>
        <Input
          aria-label={words.nameOf(point.name)}
          value={draft.name}
          onChange={(e) => setDraft({ ...draft, name: e.target.value })}
        />
      </div>
      {number(words.eEmptyNotKnown, 'e', u.metres, 4, u.code)}
      {number('N', 'n', u.metres, 4, u.code)}
      {number(words.hEmptyNotKnown, 'h', u.metres, 4, u.code)}
      {number('σ E', 'sigma_e', small, 3, u.small)}
      {number('σ N', 'sigma_n', small, 3, u.small)}
      {number('σ H', 'sigma_v', small, 3, u.small)}
      <div className="field">
        <span className="label">&nbsp;</span>
        <Button type="primary" htmlType="submit" disabled={!changed || kept.conflicts.length > 0}>
          {words.save(point.name)}
        </Button>
      </div>
    </form>
  )
}
