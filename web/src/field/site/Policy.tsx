import { InputNumber, Select } from 'antd'
import { useCallback } from 'react'
import type { Schema } from '../../api/client'
import { num } from '../../lib/format'
import { Chart, Plot } from '../../parts/Chart'
import { field as words } from '../../words'
import { heads } from './journal'
import type { Journal } from './useJournal'

type Policy = Schema['PolicyWord']
type Earlier = Schema['EarlierCheckDto']
const ANGLES = new Set(['collimation', 'trunnion', 'index'])

/** When this instrument is to be checked. */
export function CheckPolicy({ journal, instrument, edit }: { journal: Journal; instrument: string; edit: boolean }) {
  const last = heads(journal.entries, `policy ${instrument.trim().toLowerCase()}`).at(-1)
  const now = last?.fact.kind === 'policy' ? last.fact.data : undefined
  const keep = (when: Policy, weeks: number | null) =>
    void journal.note({
      kind: 'policy',
      data: { instrument, when, weeks: when === 'weeks' ? (weeks ?? 4) : null },
    })
  return (
    <div className="fields">
      <div className="field">
        <span className="label">{words.toBeChecked}</span>
        <Select<Policy | ''>
          aria-label={words.toBeChecked}
          disabled={!edit}
          value={now?.when ?? ''}
          onChange={(when) => when && keep(when, now?.weeks ?? null)}
          options={[
            { value: '', label: words.noPolicy, disabled: true },
            ...(['each_job', 'weeks', 'on_suspicion'] as const).map((value) => ({
              value,
              label: words.policies[value],
            })),
          ]}
        />
      </div>
      {now?.when === 'weeks' && (
        <label className="field">
          <span className="label">{words.weeks}</span>
          <InputNumber
            aria-label={words.weeks}
            controls={false}
            min={1}
            disabled={!edit}
            value={now.weeks ?? null}
            onBlur={(e) => {
              const weeks = Number(e.target.value)
              if (weeks >= 1 && weeks !== now.weeks) keep('weeks', weeks)
            }}
          />
        </label>
      )}
    </div>
  )
}

/** An error of the instrument over all its checks, with 95 %, and what a healthy one has. */
export function Trend({ checks, parameter }: { checks: Earlier[]; parameter: Earlier['found'][number]['parameter'] }) {
  const angle = ANGLES.has(parameter)
  // arc seconds, millimetres, or parts per million
  const factor = { range_offset: 1e3, range_scale: 1e6 }[parameter as string] ?? (180 / Math.PI) * 3600
  const unit = { range_offset: 'mm', range_scale: 'ppm' }[parameter as string] ?? '″'
  const rows = checks
    .flatMap((c) =>
      c.found
        .filter((f) => f.parameter === parameter)
        .map((f) => ({
          at: new Date(c.at),
          value: f.value * factor,
          low: (f.value - 1.96 * f.sigma) * factor,
          high: (f.value + 1.96 * f.sigma) * factor,
          usual: f.usual * factor,
        })),
    )
    .sort((a, b) => a.at.getTime() - b.at.getTime())
  const text = JSON.stringify(rows)
  const options = useCallback(
    (c: Parameters<Parameters<typeof Chart>[0]['options']>[0]): Plot.PlotOptions => {
      const data = (JSON.parse(text) as typeof rows).map((r) => ({ ...r, at: new Date(r.at) }))
      const usual = data.at(-1)?.usual ?? 0
      return {
        height: 150,
        x: { label: null, type: 'utc', inset: 14 },
        y: { label: unit, grid: true },
        marks: [
          Plot.ruleY([-usual, usual], { stroke: c.faint, strokeDasharray: '4 4' }),
          Plot.ruleY([0], { stroke: c.ink }),
          Plot.ruleX(data, { x: 'at', y1: 'low', y2: 'high', stroke: c.accent, strokeWidth: 2 }),
          Plot.lineY(data, { x: 'at', y: 'value', stroke: c.accent, strokeOpacity: 0.5 }),
          Plot.dot(data, { x: 'at', y: 'value', fill: c.accent, r: 4 }),
        ],
      }
    },
    [text, unit],
  )
  const last = rows.at(-1)
  if (rows.length < 2 || !last) return null
  const name = words.errorNames[parameter]
  return (
    <Chart
      caption={words.trendOf(name)}
      says={words.trendSays(name, rows.length, num(last.value, angle ? 1 : 2), unit)}
      options={options}
    />
  )
}
