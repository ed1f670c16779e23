import { useCallback, useMemo } from 'react'
import { num } from '../lib/format'
import { useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Chart, type Colours, Plot } from '../parts/Chart'
import { density } from './density'
import type { Result } from './useRegistration'
import { register as words } from '../words'

const STEP = 0.25
type Seen = NonNullable<Result['observations']>[number]

/** What a reader would rather see: residuals against what is expected of them, against range, and predicted against
 * achieved. A click picks the target. */
export function Plots({ result, onPick }: { result: Result; onPick: (target: string) => void }) {
  const used = useMemo(() => (result.observations ?? []).filter((o) => o.active && o.redundancy > 0.05), [result])
  if (used.length === 0) return <p className="empty">{words.nothingIsCheckedBy}</p>
  return (
    <div className="plots">
      <Normalised used={used} />
      <ByRange used={used} onPick={onPick} />
      <Compared result={result} onPick={onPick} />
    </div>
  )
}

/** How normalised residuals are spread, and how they should be. */
function Normalised({ used }: { used: Seen[] }) {
  const bins = useMemo(() => {
    const of = used.map((o) => ({ x: Math.sqrt(Math.max(o.statistic, 0)), dof: o.dof }))
    // what is far out would leave no room for the rest: the last bar holds all that lies beyond
    const sorted = of.map((o) => o.x).sort((a, b) => a - b)
    const most = Math.min(
      Math.max(5, sorted.at(-1) ?? 0),
      Math.max(6, 1.6 * (sorted[Math.floor(0.9 * sorted.length)] ?? 0)),
    )
    const expected = Array.from({ length: Math.ceil(most / STEP) * 4 }, (_, k) => {
      const x = ((k + 0.5) * STEP) / 4
      return { x, y: of.reduce((s, o) => s + density(x, o.dof), 0) * STEP }
    })
    return {
      of: of.map((o) => ({ ...o, x: Math.min(o.x, most - STEP / 2) })),
      expected,
      most,
      largest: sorted.at(-1) ?? 0,
    }
  }, [used])
  const histogram = useCallback(
    (c: Colours): Plot.PlotOptions => ({
      x: { label: words.normalisedResidual, domain: [0, bins.most] },
      y: { label: words.observationsPlain, grid: true },
      marks: [
        Plot.rectY(
          bins.of,
          Plot.binX<Plot.RectYOptions>({ y: 'count' }, { x: 'x', interval: STEP, fill: c.accent, fillOpacity: 0.45 }),
        ),
        Plot.line(bins.expected, { x: 'x', y: 'y', stroke: c.ink, strokeWidth: 1.6 }),
        Plot.ruleY([0], { stroke: c.faint }),
      ],
    }),
    [bins],
  )
  return (
    <Chart
      caption={words.normalisedResidualsAndThe(bins.largest > bins.most ? words.theLastBarHolds : '')}
      says={words.observationsTheLargestNormalised(used.length, num(bins.largest, 1))}
      options={histogram}
    />
  )
}

function ByRange({ used, onPick }: { used: Seen[]; onPick: (target: string) => void }) {
  const u = useUnits()
  const byRange = useCallback(
    (c: Colours): Plot.PlotOptions => ({
      x: { label: words.range(u.code), grid: true },
      y: { label: words.residual(u.small), grid: true, zero: true },
      marks: [
        Plot.ruleX(used, {
          x: (o: Seen) => o.range / u.metres,
          y1: 0,
          y2: (o: Seen) => o.expected / u.smallMetres,
          stroke: c.faint,
          strokeOpacity: 0.5,
        }),
        Plot.dot(used, {
          x: (o: Seen) => o.range / u.metres,
          y: (o: Seen) => o.length / u.smallMetres,
          fill: (o: Seen) => (o.suspect ? c.red : c.accent),
          symbol: (o: Seen) => (o.suspect ? 'times' : 'circle'),
          r: 3,
        }),
        Plot.tip(
          used,
          Plot.pointer({
            x: (o: Seen) => o.range / u.metres,
            y: (o: Seen) => o.length / u.smallMetres,
            title: (o: Seen) => `${o.target} from ${o.scan}: ${u.err(o.length)} of ${u.err(o.expected)} ${u.small}`,
            fill: c.paper,
          }),
        ),
      ],
    }),
    [used, u],
  )
  const beyond = used.filter((o) => o.length > o.expected).length
  return (
    <Chart<Seen>
      caption={words.residualAgainstRangeThe}
      says={words.ofResidualsAreBeyond(beyond, used.length)}
      options={byRange}
      onPick={(o) => onPick(o.target)}
    />
  )
}

/** What the plan said would come out, and what did. */
function Compared({ result, onPick }: { result: Result; onPick: (target: string) => void }) {
  const u = useUnits()
  const cover = useRead('/api/jobs/{job}/plan/cover')
  const both = useMemo(() => {
    const predicted = new Map((cover.data?.prediction.targets ?? []).map((t) => [t.name, t.error.spatial]))
    return result.targets.flatMap((t) => {
      const p = predicted.get(t.name)
      return p == null ? [] : [{ target: t.name, p: p / u.smallMetres, a: t.error.spatial / u.smallMetres }]
    })
  }, [cover.data, result, u])
  const compared = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const most = 1.1 * Math.max(...both.flatMap((b) => [b.p, b.a]))
      return {
        x: { label: words.predicted95(u.small), domain: [0, most], grid: true },
        y: { label: words.achieved95(u.small), domain: [0, most], grid: true },
        marks: [
          Plot.line(
            [
              [0, 0],
              [most, most],
            ],
            { stroke: c.faint, strokeDasharray: '4 4' },
          ),
          Plot.dot(both, {
            x: 'p',
            y: 'a',
            fill: (b: { a: number; p: number }) => (b.a > 1.5 * b.p ? c.ochre : c.accent),
            r: 3.5,
          }),
          // the names of the worst: all would hide one another
          Plot.text([...both].sort((x, y) => y.a / y.p - x.a / x.p).slice(0, 3), {
            x: 'p',
            y: 'a',
            text: 'target',
            dx: 8,
            textAnchor: 'start',
            fill: c.ink,
          }),
          Plot.tip(both, Plot.pointer({ x: 'p', y: 'a', title: (b: { target: string }) => b.target, fill: c.paper })),
        ],
      }
    },
    [both, u],
  )
  if (both.length === 0) return null
  return (
    <Chart<(typeof both)[number]>
      caption={words.predictedAgainstAchievedError}
      says={words.ofTargetsCameOut(both.filter((b) => b.a > b.p).length, both.length)}
      options={compared}
      onPick={(b) => onPick(b.target)}
    />
  )
}
