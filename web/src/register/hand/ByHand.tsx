import { Button, Checkbox, Input, Segmented, Select } from 'antd'
import { useState } from 'react'
import { num } from '../../lib/format'
import { useKey } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { Head, States } from '../../parts'
import type { CloudTie } from '../useTies'
import { Numbers, Slices } from './Laying'
import { Panoramas, PairsLedger, type ScanName, usePicking } from './Picking'
import { type Hand, type Trial, useHand } from './useHand'
import { register as words } from '../../words'

const BEGAN = {
  given: words.whereYouLaidIt,
  tie: words.fromTheTieThat,
  block: words.fromWhereBothStand,
  plan: words.fromTheStationsOf,
  file: words.fromThePosesIn,
  nothing: words.withBothScannersIn,
}

/** Two scans that are to be brought together by hand. */
export interface Two {
  a: string
  b: string
}

/** One scan is laid over another by hand: turned and slid in plan and sections, or by the same places picked in both.
 * The clouds hold it from there, and it is judged like any other tie. */
export function ByHand(p: {
  of: Two
  scans: ScanName[]
  onTwo: (two: Two) => void
  onLaid: (tie: CloudTie) => void
  onClose: () => void
}) {
  const named = (id: string) => p.scans.find((s) => s.id === id)
  const [a, b] = [named(p.of.a), named(p.of.b)]
  if (!a || !b) return null
  return <Bring key={`${a.id} ${b.id}`} {...p} a={a} b={b} />
}

function Bring(p: Parameters<typeof ByHand>[0] & { a: ScanName; b: ScanName }) {
  const { a, b } = p
  const hand = useHand(a.id, b.id, p.onLaid)
  const [way, setWay] = useState<'slide' | 'pairs'>('slide')
  const [reason, setReason] = useState('')
  const picking = usePicking(hand, [a, b], (pose) => {
    hand.move(pose)
    setWay('slide')
  })
  useKey('escape', p.onClose)
  const { data: trial } = hand.trial
  const choose = (which: 'a' | 'b') => (
    <Select
      size="small"
      aria-label={which === 'a' ? words.scanThatStays : words.scanThatMoves}
      showSearch={{ optionFilterProp: 'label' }}
      value={which === 'a' ? a.id : b.id}
      style={{ minWidth: 110 }}
      onChange={(id: string) => p.onTwo({ ...p.of, [which]: id })}
      options={p.scans.map((s) => ({ value: s.id, label: s.name, disabled: s.id === (which === 'a' ? b.id : a.id) }))}
    />
  )
  const picks = way === 'pairs'
  return (
    <div className="split hand">
      <div className="canvas">
        {picks ? (
          <Panoramas of={picking} scans={[a, b]} />
        ) : (
          <States of={[hand.trial]} what={words.theSlices}>
            {trial && hand.pose && <Slices hand={hand} trial={trial} pose={hand.pose} />}
          </States>
        )}
      </div>
      <aside className="side" aria-label={words.byHand3}>
        <Head
          aside={
            <Button size="small" onClick={p.onClose}>
              {words.backEsc}
            </Button>
          }
        >
          {words.byHand3}
        </Head>
        <div className="bar legend">
          <i className="ink" /> {choose('a')}
          {words.stays}
          <i className="ochre" /> {choose('b')}
          {words.moves}
        </div>
        <Segmented
          aria-label={words.way}
          value={way}
          onChange={setWay}
          options={[
            { value: 'slide', label: words.turnAndSlide },
            { value: 'pairs', label: words.pickPairs },
          ]}
        />
        {picks ? (
          <PairsLedger of={picking} />
        ) : (
          trial &&
          hand.pose && (
            <>
              <Figures hand={hand} trial={trial} />
              <Numbers hand={hand} trial={trial} pose={hand.pose} />
              <Parts hand={hand} trial={trial} a={a.name} b={b.name} />
              <div className="bar">
                <Input
                  aria-label={words.why}
                  placeholder={words.whyGoesIntoThe}
                  value={reason}
                  onChange={(e) => setReason(e.target.value)}
                />
                <Button type="primary" loading={hand.keep.isPending} onClick={() => hand.keep.mutate(reason)}>
                  {words.letTheCloudsHold}
                </Button>
                <Button disabled={!hand.moved} onClick={hand.back}>
                  {words.stepBack}
                </Button>
              </div>
            </>
          )
        )}
      </aside>
    </div>
  )
}

/** What the two say of one another where the second is now. */
function Figures({ hand, trial: t }: { hand: Hand; trial: Trial }) {
  const u = useUnits()
  const share = (v: number[]) => v.map((x) => num(100 * x, x < 0.1 ? 1 : 0)).join(' / ')
  const conflict = Math.max(...t.conflict)
  return (
    <dl className={`figures ${hand.moving ? 'moving' : ''}`} aria-live="polite">
      <div>
        <dt>{words.overlap2}</dt>
        <dd>{share(t.overlap)} %</dd>
      </div>
      <div className={conflict > 0.012 ? 'bad' : undefined}>
        <dt>{words.conflict2}</dt>
        <dd>{share(t.conflict)} %</dd>
      </div>
      <div>
        <dt>{words.rmsText}</dt>
        <dd>{t.rms == null ? words.nothingNear : `${u.err(t.rms)} ${u.small}`}</dd>
      </div>
      <p className="faint">{words.begun(BEGAN[t.from])}</p>
    </dl>
  )
}

/** What moves with the second, when it hangs together with others. */
function Parts({ hand, trial, a, b }: { hand: Hand; trial: Trial; a: string; b: string }) {
  const [mine = [], theirs = []] = trial.together
  if (mine.length + theirs.length === 0) return null
  const one = mine.join() === theirs.join()
  const list = (names: string[]) =>
    names.length > 6 ? `${names.slice(0, 6).join(', ')} and ${names.length - 6} more` : names.join(', ')
  return (
    <>
      {!one && theirs.length > 0 && <p>{words.hangTogetherWithAnd(list(theirs), b)}</p>}
      {one && <p className="faint">{words.andHangTogetherAlready(a, b, list(mine))}</p>}
      <Checkbox checked={hand.parts} onChange={(e) => hand.setParts(e.target.checked)}>
        {words.drawTheScansBeside}
      </Checkbox>
    </>
  )
}
