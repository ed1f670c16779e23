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
  const u = useUnits()
  const cover = useRead('/api/jobs/{job}/plan/cover')
  const used = useMemo(() => (result.observations ?? []).filter((o) => o.active && o.redundancy > 0.05), [result])
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
            text: words.targetPlain,
            dx: 8,
            textAnchor: 'start',
            fill: c.ink,
          }),
          Plot.tip(both, Plot.pointer({ x: 'p', y: 'a', title: words.targetPlain, fill: c.paper })),
        ],
      }
    },
    [both, u],
  )
  if (used.length === 0) return <p className="empty">{words.nothingIsCheckedBy}</p>
  const beyond = used.filter((o) => o.length > o.expected).length
  return (
    <div className="plots">
      <Chart
        caption={words.normalisedResidualsAndThe(bins.largest > bins.most ? words.theLastBarHolds : '')}
        says={words.observationsTheLargestNormalised(used.length, num(bins.largest, 1))}
        options={histogram}
      />
      <Chart<(typeof used)[number]>
        caption={words.residualAgainstRangeThe}
        says={words.ofResidualsAreBeyond(beyond, used.length)}
        options={byRange}
        onPick={(o) => onPick(o.target)}
      />
      {both.length > 0 && (
        <Chart<(typeof both)[number]>
          caption={words.predictedAgainstAchievedError}
          says={words.ofTargetsCameOut(both.filter((b) => b.a > b.p).length, both.length)}
          options={compared}
          onPick={(b) => onPick(b.target)}
        />
      )}
      <Graph result={result} onPick={onPick} />
    </div>
  )
}

/** Which scans are tied to which, from above. */
function Graph({ result, onPick }: { result: Result; onPick: (name: string) => void }) {
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const at = new Map(result.stations.map((s) => [s.name, s.pose.translation]))
      const ends = result.ties.flatMap((t) => {
        const [a, b] = [at.get(t.a), at.get(t.b)]
        return a && b ? [{ ...t, x1: a[0]!, y1: a[1]!, x2: b[0]!, y2: b[1]! }] : []
      })
      const nodes = result.stations.map((s) => ({ name: s.name, x: s.pose.translation[0]!, y: s.pose.translation[1]! }))
      const colour = { sound: c.accent, doubtful: c.ochre, failed: c.red, not_judged: c.faint }
      const dash = { sound: undefined, doubtful: '8 5', failed: '2 4', not_judged: '2 4' }
      return {
        aspectRatio: 1,
        height: undefined,
        x: { axis: null, inset: 14 },
        y: { axis: null, inset: 14 },
        marks: [
          ...(['sound', 'not_judged', 'doubtful', 'failed'] as const).map((g) =>
            Plot.link(
              ends.filter((e) => e.grade === g),
              {
                x1: 'x1',
                y1: 'y1',
                x2: 'x2',
                y2: 'y2',
                stroke: colour[g],
                strokeDasharray: dash[g],
                strokeWidth: (e: { shared: string[] }) => 0.6 + 0.5 * Math.min(e.shared.length, 8),
                strokeOpacity: g === 'sound' ? 0.45 : 1,
              },
            ),
          ),
          Plot.dot(nodes, { x: 'x', y: 'y', r: 5, fill: c.ink, stroke: c.paper, symbol: 'triangle' }),
          Plot.text(nodes, { x: 'x', y: 'y', text: words.name, dy: 13, fill: c.ink, stroke: c.paper, strokeWidth: 3 }),
          Plot.tip(nodes, Plot.pointer({ x: 'x', y: 'y', title: words.name, fill: c.paper })),
        ],
      }
    },
    [result],
  )
  const weak = result.ties.filter((t) => t.grade === 'doubtful' || t.grade === 'failed').length
  return (
    <Chart<{ name: string }>
      caption={words.scansAndTheirTies}
      says={words.scansAndTiesOf(result.stations.length, result.ties.length, weak)}
      options={options}
      onPick={(n) => onPick(n.name)}
    />
  )
}
