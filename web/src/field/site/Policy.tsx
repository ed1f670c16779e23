import { InputNumber, Select } from 'antd'
import { useCallback, useMemo } from 'react'
import type { Schema } from '../../api/client'
import { num } from '../../lib/format'
import { Chart, type Colours, Plot } from '../../parts/Chart'
import { field as words } from '../../words'
import { heads } from './journal'
import type { Journal } from './useJournal'

type Policy = Schema['PolicyWord']
type Earlier = Schema['EarlierCheckDto']
type Error = Schema['ErrorFoundDto']
/** What is shown of an error: factor and unit; angles in arc seconds. */
const ARC: [number, string] = [(180 / Math.PI) * 3600, '″']
const SHOWN: Partial<Record<Error['parameter'], [number, string]>> = {
  range_offset: [1e3, 'mm'],
  range_scale: [1e6, 'ppm'],
}
const point = (at: string, f: Error, factor: number) => ({
  at: new Date(at),
  value: f.value * factor,
  low: (f.value - 1.96 * f.sigma) * factor,
  high: (f.value + 1.96 * f.sigma) * factor,
  usual: f.usual * factor,
})
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
export function Trend({ checks, parameter }: { checks: Earlier[]; parameter: Error['parameter'] }) {
  const angle = ANGLES.has(parameter)
  const [factor, unit] = SHOWN[parameter] ?? ARC
  const rows = useMemo(
    () =>
      checks
        .flatMap((c) => c.found.filter((f) => f.parameter === parameter).map((f) => point(c.at, f, factor)))
        .sort((a, b) => a.at.getTime() - b.at.getTime()),
    [checks, parameter, factor],
  )
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const usual = rows.at(-1)?.usual ?? 0
      return {
        height: 150,
        x: { label: null, type: 'utc', inset: 14 },
        y: { label: unit, grid: true },
        marks: [
          Plot.ruleY([-usual, usual], { stroke: c.faint, strokeDasharray: '4 4' }),
          Plot.ruleY([0], { stroke: c.ink }),
          Plot.ruleX(rows, { x: 'at', y1: 'low', y2: 'high', stroke: c.accent, strokeWidth: 2 }),
          Plot.lineY(rows, { x: 'at', y: 'value', stroke: c.accent, strokeOpacity: 0.5 }),
          Plot.dot(rows, { x: 'at', y: 'value', fill: c.accent, r: 4 }),
        ],
      }
    },
    [rows, unit],
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
