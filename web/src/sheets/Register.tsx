import { Button, Segmented } from 'antd'
import { useMemo, useState } from 'react'
import { CloudView } from '../cloud/CloudView'
import { useChoice } from '../lib/choice'
import { num } from '../lib/format'
import { useKeys } from '../lib/hooks'
import { usePicks } from '../lib/picks'
import { Head, States, Term, VerdictCard } from '../parts'
import { CloudTies, FindTies } from '../register/CloudTies'
import { Findings } from '../register/Findings'
import { ScanGroups } from '../register/Groups'
import { ByHand, type Two } from '../register/hand/ByHand'
import { MarkTarget } from '../register/hand/MarkTarget'
import { Found, Observations, Stations, Targets, Ties } from '../register/Ledgers'
import { Parts } from '../register/Parts'
import { Passes } from '../register/passes/Passes'
import { PickedMarks } from '../register/passes/PickedMarks'
import { Plots } from '../register/Plots'
import { Schools } from '../register/Schools'
import { StationGraph } from '../register/StationGraph'
import { type Registration, type Result, useRegistration } from '../register/useRegistration'
import { Levels, Loops, Noise } from '../register/views'
import { Tasks } from '../shell/Tasks'
import { register as words } from '../words'

const VIEWS = [
  'graph',
  'ties',
  'clouds',
  'groups',
  'advice',
  'figures',
  'loops',
  'observations',
  'levels',
  'noise',
  'targets',
  'stations',
  'found',
] as const
type View = (typeof VIEWS)[number]
/** Views that are more than a ledger of the result. */
const WIDE = new Set<View>(['clouds', 'graph', 'groups'])
/** Scans that stand, and walks that are tied to them. */
const ROOMS = ['block', 'passes'] as const
const p = (v: number) => (v < 0.001 ? `< ${num(0.001, 3)}` : `= ${num(v, 3)}`)

/** What is open on the sheet. */
interface Open {
  view: View
  /** Tie by clouds that is looked at. */
  tie: string | null
  /** Two scans that are brought together by hand. */
  two: Two | null
  /** Targets are pointed at. */
  marking: boolean
}

/** Finds, matches, adjusts; shows what is doubtful and lets the registrar decide. */
export default function Register() {
  const registration = useRegistration()
  const { result: r } = registration
  const [room, setRoom] = useChoice('room', ROOMS)
  const [picks, setPicks] = usePicks()
  const [open, setOpen] = useState<Open>({ view: 'graph', tie: null, two: null, marking: false })
  const set = (part: Partial<Open>) => setOpen((o) => ({ ...o, ...part }))
  // the weakest spot of a job may be a surface, which is nothing of this sheet
  const wanted = picks.at(-1)?.name ?? null
  const known = !r || [...r.targets, ...r.candidates, ...r.stations].some((x) => x.name === wanted)
  const picked = known ? wanted : null
  const pick = (name: string | null) => {
    const kind = r?.stations.some((s) => s.name === name) ? 'station' : 'target'
    setPicks(name ? [{ kind, name }] : [])
  }
  const able = registration.scans.filter((s) => s.has_scanner)
  if (open.marking && able[0])
    return (
      <MarkTarget
        scans={able}
        detections={registration.detections}
        first={able.find((s) => s.name === picked)?.id ?? able[0].id}
        onClose={() => set({ marking: false })}
      />
    )
  if (open.two)
    return (
      <ByHand
        of={open.two}
        scans={able}
        onTwo={(two) => set({ two })}
        onLaid={(t) => set({ two: null, tie: t.id, view: 'clouds' })}
        onClose={() => set({ two: null })}
      />
    )
  if (room === 'passes') return <Walks onRoom={setRoom} />
  return <Block {...{ registration, able, open, set, picked, pick }} onRoom={setRoom} />
}

interface Sheet {
  registration: Registration
  able: { id: string }[]
  open: Open
  set: (part: Partial<Open>) => void
  picked: string | null
  pick: (name: string | null) => void
  onRoom: (room: Room) => void
}
type Room = (typeof ROOMS)[number]

const Rooms = ({ room, onRoom }: { room: Room; onRoom: (room: Room) => void }) => (
  <div className="bar views">
    <Segmented<Room>
      aria-label={words.room}
      value={room}
      onChange={onRoom}
      options={ROOMS.map((value) => ({ value, label: words.rooms[value] }))}
    />
  </div>
)

/** Walks of mobile units, over the clouds that they are tied to. */
const Walks = ({ onRoom }: { onRoom: (room: Room) => void }) => (
  <div className="split">
    <div className="canvas">
      <CloudView targets={[]} ties={[]} selected={null} extra={(picked) => <PickedMarks picked={picked} />} />
    </div>
    <aside className="side" aria-label={words.passes}>
      <Rooms room="passes" onRoom={onRoom} />
      <Passes />
    </aside>
  </div>
)

/** The block, with its verdicts and its ledgers. */
function Block(p: Sheet) {
  const { registration, set, picked, pick } = p
  const { adjustment: a, result: r, running, run, edit, ties } = registration
  useKeys('g', 'r', () => run.mutate(undefined), edit && !running && !a?.locked)
  const shown = useMemo(
    () => ({
      targets: r?.targets ?? [],
      // what neither takes part nor failed waits for a decision, and is drawn as it stands
      ties: [...(r?.ties ?? []), ...ties.ties.filter((t) => t.takes_part || t.grade === 'doubtful')],
    }),
    [r, ties.ties],
  )
  return (
    <div className="split">
      <div className="canvas">
        <CloudView frame={r && !r.refused ? 'block' : undefined} {...shown} selected={picked} onPick={pick} />
      </div>
      <aside className="side" aria-label={words.registration}>
        <Rooms room="block" onRoom={p.onRoom} />
        <Head aside={a ? words.revision(a.revision, a.locked ? words.locked : '') : ''}>{words.registration}</Head>
        <States of={registration.reads} what={words.theRegistration}>
          <Actions
            of={registration}
            onMark={() => set({ marking: true })}
            onHand={() => set({ two: firstTwo(p.able) })}
          />
          <Tasks kinds={['register', 'tie']} ended={running || ties.searching ? 0 : 1} />
          {!a && !running && <p className="empty">{words.noResultYetTargets}</p>}
          {r?.refused && (
            <>
              <VerdictCard tone="failed" title={words.theBlockCouldNot} evidence={[r.refused]} />
              {ties.ties.length > 0 && <Clouds {...p} />}
              <Groups {...p} />
              <Found detections={registration.detections} scans={registration.scans} />
            </>
          )}
          {registration.open && <Parts onHand={(two) => set({ two })} />}
          <Findings
            of={registration}
            onShow={(t) => {
              pick(t)
              set({ view: 'observations' })
            }}
          />
          {r && !r.refused && (
            <>
              <Global result={r} />
              <Views {...p} result={r} />
            </>
          )}
        </States>
      </aside>
    </div>
  )
}

const Clouds = ({ registration: { ties, result, open: decided }, open, set, picked }: Sheet) => (
  <CloudTies
    ties={ties}
    result={result}
    picked={picked}
    open={decided}
    chosen={open.tie}
    onChoose={(tie) => set({ tie })}
    onHand={(two) => set({ two })}
  />
)

/** Also where nothing could be adjusted: what was set apart may be why. */
const Groups = ({ registration: { scans, open }, picked }: Sheet) => (
  <ScanGroups scans={scans.filter((s) => s.has_scanner)} picked={picked} open={open} />
)

/** One view of the result at a time. */
function Views(p: Sheet & { result: Result }) {
  const { registration, open, set, picked, pick, result } = p
  const { view } = open
  return (
    <>
      <div className="bar">
        <Segmented<View> aria-label={words.view} value={view} onChange={(v) => set({ view: v })} options={[...VIEWS]} />
        {picked && (
          <Button size="small" onClick={() => pick(null)}>
            {words.allNotOnly(picked)}
          </Button>
        )}
      </div>
      {view === 'clouds' && <Clouds {...p} />}
      {view === 'graph' && (
        <StationGraph
          result={result}
          clouds={registration.ties.ties}
          picked={picked}
          onScan={(name) => pick(picked === name ? null : name)}
          onEdge={(e) => set(e.cloud ? { tie: e.cloud, view: 'clouds' } : { view: 'ties' })}
        />
      )}
      {view === 'groups' && <Groups {...p} />}
      {!WIDE.has(view) && <Shown view={view} of={registration} result={result} picked={picked} onPick={pick} />}
    </>
  )
}

/** The two scans that a hand begins with. */
const firstTwo = ([a, b]: { id: string }[]) => (a && b ? { a: a.id, b: b.id } : null)

function Actions({ of, onMark, onHand }: { of: Registration; onMark: () => void; onHand: () => void }) {
  const { adjustment: a, result: r, running, run, lock, edit, ties, scans } = of
  if (!edit) return null
  return (
    <div className="bar">
      <Button
        type="primary"
        loading={running || run.isPending}
        disabled={a?.locked || ties.searching}
        onClick={() => run.mutate(undefined)}
      >
        {a ? words.runAgain : words.findTargetsAndAdjust}
      </Button>
      {!a?.locked && <FindTies ties={ties} scans={scans.length} />}
      {of.open && scans.length > 0 && <Button onClick={onMark}>{words.markATarget}</Button>}
      {of.open && scans.length > 1 && <Button onClick={onHand}>{words.byHand3}</Button>}
      {a && !r?.refused && (
        <Button onClick={() => lock.mutate(!a.locked)} disabled={!a.locked && a.stale}>
          {a.locked ? words.unlock : words.lockResult}
        </Button>
      )}
      {a?.stale && <span className="warn">{words.scansOrObservationsChanged}</span>}
    </div>
  )
}

/** What the block says as a whole. */
function Global({ result: r }: { result: Result }) {
  const active = (r.observations ?? []).filter((o) => o.active).length
  const clouds = r.cloud_ties.filter((t) => t.active).length
  if (r.findings.length === 0)
    return (
      <VerdictCard
        tone="sound"
        title={words.nothingSpeaksAgainstThis}
        evidence={[
          words.globalTestPWith(p(r.global_p), r.dof),
          words.scansTargetsObservationsNo(
            r.stations.length,
            r.targets.length,
            active,
            clouds ? words.andTiesByClouds(clouds) : '',
          ),
        ]}
      />
    )
  const times = Math.sqrt(r.variance_estimate)
  return (
    <p className="faint">
      {words.globalTest}
      <Term of="p" />
      {words.degreesOfFreedomResiduals(
        p(r.global_p),
        r.dof,
        num(times, 2),
        Math.abs(times - 1) < 0.05 ? words.asTheyShouldBe : words.errorsAreStatedAccordingly,
      )}
    </p>
  )
}

function Shown(q: {
  view: View
  of: Registration
  result: Result
  picked: string | null
  onPick: (name: string | null) => void
}) {
  const { view, of, result, picked, onPick } = q
  const settled = of.open && !of.adjustment?.stale && result.findings.every((f) => f.kept)
  if (view === 'advice') return <Schools />
  if (view === 'ties') return <Ties result={result} picked={picked} />
  if (view === 'figures') return <Plots result={result} onPick={onPick} />
  if (view === 'loops') return <Loops result={result} />
  if (view === 'observations') return <Observations of={of} result={result} picked={picked} onPick={onPick} />
  if (view === 'levels') return <Levels result={result} />
  if (view === 'noise') return <Noise result={result} onTake={settled ? () => of.take.mutate(undefined) : undefined} />
  if (view === 'targets') return <Targets result={result} picked={picked} onPick={onPick} />
  if (view === 'stations') return <Stations result={result} picked={picked} onPick={onPick} />
  return <Found detections={of.detections} scans={of.scans} />
}
