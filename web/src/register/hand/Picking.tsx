import { Button } from 'antd'
import { useState } from 'react'
import type { Schema } from '../../api/client'
import { sayError } from '../../lib/errors'
import { useJob, useKey } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Ledger } from '../../parts'
import { Panorama } from './Panorama'
import type { Pose } from './pose'
import type { Hand } from './useHand'
import { register as words } from '../../words'

type Pointed = Schema['PointedDto']
type Picked = [Pointed | null, Pointed | null]
export interface ScanName {
  id: string
  name: string
}

/** Places picked in two scans, in turn; the last may wait for its other half. */
export function usePicking(hand: Hand, scans: [ScanName, ScanName], lay: (pose: Pose) => void) {
  const [pairs, setPairs] = useState<Picked[]>([])
  const full = pairs.flatMap(([x, y]) => (x && y ? [[x, y] as const] : []))
  const ask = (list: Picked[]) => {
    const whole = list.flatMap(([x, y]) =>
      x && y ? [{ first: x.at, second: y.at, sigma: Math.hypot(x.sigma, y.sigma) }] : [],
    )
    if (whole.length >= 3) hand.pairs.mutate(whole)
    else hand.pairs.reset()
  }
  const set = (next: Picked[]) => {
    setPairs(next)
    ask(next)
  }
  const point = async (k: 0 | 1, direction: [number, number, number]) => {
    try {
      const found = await hand.point(scans[k].id, direction)
      const waiting = pairs.findIndex((q) => !q[k])
      const next = pairs.map((q) => [...q] as Picked)
      if (waiting >= 0) next[waiting]![k] = found
      else next.push(k === 0 ? [found, null] : [null, found])
      set(next)
    } catch (e) {
      sayError((e as Error).message)
    }
  }
  return {
    pairs,
    full,
    point,
    remove: (k: number) => set(pairs.filter((_, j) => j !== k)),
    result: hand.pairs.data,
    lay,
  }
}
export type PickingState = ReturnType<typeof usePicking>

/** Both panoramas, one above the other. */
export function Panoramas({ of, scans }: { of: PickingState; scans: [ScanName, ScanName] }) {
  const job = useJob()
  // the result counts whole pairs only
  const wrong = (k: number) => {
    const at = of.pairs.slice(0, k).filter(([x, y]) => x && y).length
    return !!of.pairs[k]?.[0] && !!of.pairs[k]?.[1] && !!of.result?.wrong[at]
  }
  const marks = (side: 0 | 1) =>
    of.pairs.flatMap((q, k) => (q[side] ? [{ at: q[side].at, label: `${k + 1}`, wrong: wrong(k) }] : []))
  return (
    <div className="panoramas">
      {([0, 1] as const).map((side) => (
        <Panorama
          key={side}
          url={`/api/jobs/${job.id}/scans/${scans[side].id}/panorama`}
          name={scans[side].name}
          marks={marks(side)}
          onPoint={(d) => void of.point(side, d)}
        />
      ))}
    </div>
  )
}

/** What was picked, how well it goes together, and the way to use it. */
export function PairsLedger({ of }: { of: PickingState }) {
  const u = useUnits()
  useKey('backspace', () => of.remove(of.pairs.length - 1), of.pairs.length > 0)
  const rows = of.pairs.map(([x, y], k) => {
    // the result counts whole pairs only
    const at = x && y ? of.pairs.slice(0, k).filter(([p, q]) => p && q).length : null
    return {
      id: `${k + 1}`,
      k,
      what: [x?.feature, y?.feature].map((f) => f ?? '…').join(' / '),
      sigma: x && y ? Math.hypot(x.sigma, y.sigma) : null,
      residual: at == null ? null : of.result?.residuals[at],
      wrong: at != null && !!of.result?.wrong[at],
    }
  })
  const wrong = of.result?.wrong.filter(Boolean).length ?? 0
  return (
    <>
      <p className="faint">{words.clickTheSameCorner}</p>
      <Ledger
        label={words.pairs}
        rows={rows}
        id={(r) => r.id}
        empty={words.nonePickedYet}
        tone={(r) => (r.wrong ? 'bad' : undefined)}
        columns={[
          { head: words.pair, cell: (r) => r.id },
          { head: words.foundPlain, cell: (r) => r.what },
          { head: <>1σ [{u.small}]</>, num: true, cell: (r) => u.err(r.sigma) },
          { head: <>{words.apart(u.small)}</>, num: true, cell: (r) => u.err(r.residual) },
          {
            head: '',
            cell: (r) => (
              <>
                {r.wrong && <b className="bad">{words.notTheSameThing}</b>}
                <button
                  type="button"
                  className="link"
                  onClick={() => of.remove(r.k)}
                  aria-label={words.removePair(r.id)}
                >
                  {words.remove}
                </button>
              </>
            ),
          },
        ]}
      />
      {of.result && (
        <p className={wrong ? 'warn' : undefined}>
          {wrong === 0
            ? words.allGoTogetherWithin(u.err(of.result.rms), u.small)
            : words.ofDoNotGo(wrong, of.result.wrong.length, u.err(of.result.rms), u.small)}
        </p>
      )}
      <Button type="primary" disabled={!of.result} onClick={() => of.result && of.lay(of.result.pose)}>
        {words.layItThere}
      </Button>
    </>
  )
}
