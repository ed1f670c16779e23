import { useQuery } from '@tanstack/react-query'
import { Button } from 'antd'
import { useCallback } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useJob } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { States } from '../parts'
import { Chart, type Colours, Plot } from '../parts/Chart'
import { check as words } from '../words'

type Pair = Schema['ComparedPairDto']
type Places = Schema['ComparedPlacesDto']
type Place = Places['places'][number]
type Counted = Places['counted'][number]

const X = 0
const Y = 1
const DISTANCE = 3
const DETECTABLE = 4
const at = (p: number[], k: number) => p[k] ?? 0
const isBeyond = (p: Place) => Math.abs(at(p, DISTANCE)) > at(p, DETECTABLE)

/** One pair: where its surfaces lie apart, from above, and how far. */
export function PairCard({ pair, onClose }: { pair: Pair; onClose: () => void }) {
  const job = useJob()
  const read = useQuery({
    queryKey: ['job', job.id, 'compared places', pair.id, pair.places, pair.stale],
    queryFn: async ({ signal }) =>
      unwrap(
        await api.GET('/api/jobs/{job}/comparison/pairs/{pair}', {
          params: { path: { job: job.id, pair: pair.id } },
          signal,
        }),
      ),
  })
  return (
    <section className={`card ${pair.misfit ? 'failed' : 'sound'}`} aria-label={`${pair.a}–${pair.b}`}>
      <h3>
        {pair.a}–{pair.b}
        <span className="bar-end">
          <Button size="small" type="text" onClick={onClose}>
            {words.close}
          </Button>
        </span>
      </h3>
      <p>{pair.said}</p>
      <p className="legend">
        <b className="faint">·</b> {words.withinNoise} <b className="bad">▲</b> {words.beforeIt}{' '}
        <b className="warn">▼</b> {words.behindIt}
      </p>
      <States of={[read]} what={words.thePlaces}>
        {read.data && (
          <div className="pair-plots">
            <Map pair={pair} of={read.data} />
            <Counts pair={pair} of={read.data} />
          </div>
        )}
      </States>
    </section>
  )
}

function Map({ pair, of }: { pair: Pair; of: Places }) {
  const u = useUnits()
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => {
      const [e = 0, n = 0] = of.origin
      const x = (p: number[]) => (at(p, X) + e) / u.metres
      const y = (p: number[]) => (at(p, Y) + n) / u.metres
      const apart = of.places.filter(isBeyond)
      const names = [pair.a, pair.b]
      return {
        height: 400,
        marginLeft: 70,
        aspectRatio: 1,
        x: { label: null, tickFormat: (v: number) => v.toFixed(0) },
        y: { label: null, tickFormat: (v: number) => v.toFixed(0) },
        marks: [
          Plot.dot(
            of.places.filter((p) => !isBeyond(p)),
            { x, y, r: 1, fill: c.faint, fillOpacity: 0.45 },
          ),
          Plot.dot(apart, {
            x,
            y,
            r: 3,
            symbol: 'triangle',
            rotate: (p: Place) => (at(p, DISTANCE) > 0 ? 0 : 180),
            fill: (p: Place) => (at(p, DISTANCE) > 0 ? c.red : c.ochre),
          }),
          Plot.dot(of.regions, {
            x: (r: Places['regions'][number]) => x(r.at),
            y: (r: Places['regions'][number]) => y(r.at),
            r: 9,
            stroke: c.ink,
            strokeWidth: 1.5,
          }),
          Plot.text(of.stations, { x, y, text: (_, k: number) => `+ ${names[k]}`, fill: c.ink, textAnchor: 'start' }),
          Plot.tip(
            apart,
            Plot.pointer({
              x,
              y,
              title: (p: Place) => `${u.within(at(p, DISTANCE), at(p, DETECTABLE))} ${u.small}`,
              fill: c.paper,
            }),
          ),
        ],
      }
    },
    [of, pair.a, pair.b, u],
  )
  return (
    <Chart
      caption={words.mapOf(pair.a, pair.b)}
      says={words.placesBeyond(of.places.filter(isBeyond).length, of.places.length)}
      options={options}
    />
  )
}

function Counts({ pair, of }: { pair: Pair; of: Places }) {
  const u = useUnits()
  const options = useCallback(
    (c: Colours): Plot.PlotOptions => ({
      x: { label: words.distanceAlongTheNormal(u.small) },
      y: { axis: null },
      marks: [
        Plot.rectY(of.counted, {
          x1: (d: Counted) => d.from / u.smallMetres,
          x2: (d: Counted) => (d.from + 0.001) / u.smallMetres,
          y: 'count',
          fill: c.accent,
        }),
        Plot.ruleX([-pair.detectable / u.smallMetres, pair.detectable / u.smallMetres], {
          stroke: c.red,
          strokeDasharray: '4 3',
        }),
        Plot.ruleX([0], { stroke: c.ink }),
      ],
    }),
    [of, pair.detectable, u],
  )
  return (
    <Chart
      caption={words.howFarApart}
      says={words.placesCounted(of.counted.reduce((n, c) => n + c.count, 0))}
      options={options}
    />
  )
}
