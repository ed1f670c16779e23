import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import * as THREE from 'three'
import { api, type Schema, unwrap } from '../api/client'
import { num } from '../lib/format'
import { useJob, useKey, useLatest, useSame } from '../lib/hooks'
import { CloudTools } from './CloudTools'
import { keyStep } from './keys'
import { Legend } from './Legend'
import type { Look, Projection } from './look'
import { type CloudTarget, type CloudTie, drawMarks } from './marks'
import { type Extra, MeasurePanel } from './MeasurePanel'
import type { Picked } from './scans'
import { Trouble } from './Trouble'
import { type OverClouds, useDrawn } from './useDrawn'
import { useLook } from './useLook'
import { usePins } from './usePins'
import { useWorld } from './useWorld'
import type { World } from './world'
import { cloud as words } from '../words'

type Cloud = Schema['CloudDto']
/** What is said of a frame that is not that of the registration. */
const FRAMES: Record<string, string> = { 'as delivered': words.posesAsTheFiles, scan: words.oneScanAlone }
const NOTHING: Schema['CloudScanDto'][] = []

interface Props extends OverClouds {
  frame?: 'grid' | 'block' | 'scan'
  targets: CloudTarget[]
  ties: CloudTie[]
  selected: string | null
  /** A name was clicked. */
  onPick?: (name: string) => void
  /** Points are measured from the beginning. */
  measure?: boolean
  /** What else is done with picked points. */
  extra?: Extra
  /** Takes out what is in the box that is cut to. */
  onBox?: (box: Schema['CleanBoxDto']) => void
}

/** The clouds in their present poses, with stations, targets and ties. Positions are shown about a
 *  local origin, so that large grid coordinates keep their digits on the graphics card. */
export function CloudView({ frame, selected, onPick, measure = false, extra, onBox, ...marks }: Props) {
  const job = useJob()
  // a sheet is drawn anew with every step of a task; the clouds are not, unless there is something else to show
  const targets = useSame(marks.targets)
  const ties = useSame(marks.ties)
  const picks = !!onPick
  const pick = useLatest(onPick)
  const box = useRef<HTMLDivElement>(null)
  const { world, state, shown, remake } = useWorld(box)
  const [look, setLook, off, setOff] = useLook(job.id)
  const [picked, setPicked] = useState<Picked[]>([])
  const [measuring, setMeasuring] = useState(measure)
  const [station, setStation] = useState<string | null>(null)
  const read = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/cloud', frame],
    queryFn: async () =>
      unwrap(await api.GET('/api/jobs/{job}/cloud', { params: { path: { job: job.id }, query: { frame } } })),
    refetchInterval: (q) => (q.state.status === 'error' ? 4000 : false),
  })
  const cloud = read.data
  const scans = cloud?.scans ?? NOTHING
  const notes = usePins(scans)
  const limit = job.brief.requirement.spatial95 ?? job.brief.requirement.horizontal95 ?? null
  useClouds(world, cloud, job.id, frame, setLook)
  useEffect(() => {
    if (!world) return
    world.scene.background = new THREE.Color(look.dark ? 0x16202a : 0xfbf8f1)
    world.shaded = look.shaded !== false
    world.scans.look(look, limit)
    world.draw()
  }, [world, look, limit])
  useEffect(() => world?.scans.turn(off), [world, off, cloud])
  const enter = useCallback(
    (name: string) => {
      const s = cloud?.scans.find((x) => x.name === name)
      if (!world || !s) return
      world.enter(`/api/jobs/${job.id}/scans/${s.id}/panorama`, poseOf(s))
      setStation(name)
    },
    [world, cloud, job.id],
  )
  const leave = () => {
    world?.leave()
    setStation(null)
  }
  useEffect(() => {
    if (world && cloud)
      drawMarks(world, {
        scans: scans.filter((s) => !off.has(s.id)),
        targets,
        ties,
        notes,
        origin: cloud.origin,
        selected,
        picked,
        dark: look.dark,
        grades: look.colouring === 'grade',
        onStation: enter,
        onTarget: picks ? (name) => pick.current?.(name) : undefined,
      })
  }, [world, cloud, scans, off, targets, ties, notes, selected, picked, look.dark, look.colouring, enter, picks, pick])
  const choose = useDrawn(world, cloud?.origin, look.dark, marks)
  useSelected(world, cloud, targets, selected)
  useKey('escape', () => {
    if (station) leave()
    else {
      setPicked([])
      setMeasuring(measure)
    }
  })
  useKey('m', () => setMeasuring((m) => !m))
  useKey('backspace', () => setPicked((p) => p.slice(0, -1)), picked.length > 0)
  const down = useRef<[number, number]>([0, 0])
  const hit = (e: React.MouseEvent) => {
    if (!world || station || (e.target as HTMLElement).tagName !== 'CANVAS') return null
    const { ray, angle, flat } = world.ray(e.clientX, e.clientY)
    return world.scans.pick(ray, angle, flat)
  }
  const click = (e: React.PointerEvent) => {
    const still = Math.hypot(e.clientX - down.current[0], e.clientY - down.current[1]) <= 4
    if (still && !measuring && (e.target as HTMLElement).tagName === 'CANVAS') choose?.(e.clientX, e.clientY)
    const found = measuring && still ? hit(e) : null
    if (found) setPicked((p) => [...p.slice(-19), found])
  }
  const project = (projection: Projection, clip: Look['clip'], middle?: THREE.Vector3, span?: number) => {
    if (!world) return
    leave()
    world.project(projection, middle, span, clip?.turn ?? 0)
    setLook({ ...look, projection, clip })
  }
  return (
    <div
      className={`cloud ${look.dark ? 'dark' : ''}`}
      data-points={shown.points}
      data-busy={shown.busy}
      data-frame={cloud?.frame}
      onPointerDown={(e) => {
        down.current = [e.clientX, e.clientY]
      }}
      onPointerUp={click}
      onDoubleClick={(e) => {
        const found = measuring ? null : hit(e)
        if (found) world?.pivot(found.world)
      }}
    >
      <div
        ref={box}
        className="cloud-canvas"
        style={{ cursor: measuring ? 'crosshair' : undefined }}
        role="application"
        tabIndex={0}
        aria-label={words.cloudScansInTheir(scans.length)}
        onKeyDown={(e) => world && keyStep(world, e)}
      />
      <Trouble state={state} remake={remake} read={read} failed={shown.failed} again={() => world?.scans.again()} />
      {cloud && scans.length === 0 && <p className="empty over">{words.noScanHasA}</p>}
      {world && cloud && (
        <CloudTools
          world={world}
          cloud={cloud}
          look={look}
          setLook={setLook}
          off={off}
          setOff={setOff}
          project={project}
          measuring={measuring}
          setMeasuring={setMeasuring}
          picked={picked}
          setPicked={setPicked}
          onBox={onBox}
        />
      )}
      {station && (
        <div className="at-station">
          {words.atDragToLook(station)}
          <button type="button" onClick={leave}>
            {words.leaveEsc}
          </button>
        </div>
      )}
      {!station && <MeasurePanel frame={frame} picked={picked} onClear={() => setPicked([])} extra={extra} />}
      {picked.length === 0 && !station && (
        <div className="hint">
          <Legend look={look} heights={shown.heights} limit={limit} />
          {words.millionPoints(
            num(shown.points / 1e6, 2),
            shown.busy && scans.length > 0 ? words.finerOnesAreComing : '',
            measuring ? words.clickPointsToMeasure : words.dragToTurnRight,
            FRAMES[cloud?.frame ?? ''] ?? '',
          )}
        </div>
      )}
    </div>
  )
}

function poseOf(s: Schema['CloudScanDto']): THREE.Matrix4 {
  const [w, x, y, z] = s.pose.rotation as [number, number, number, number]
  return new THREE.Matrix4().compose(
    new THREE.Vector3(...(s.pose.translation as [number, number, number])),
    new THREE.Quaternion(x, y, z, w),
    new THREE.Vector3(1, 1, 1),
  )
}

/** Above the instruments so far, metres, the first view is cut: a hall is seen from within and not its roof. */
const ABOVE = 1.2
const FAR = 2000
/** Where one looked last, for each job and frame: another sheet, and back, shows the same. */
const last = new Map<string, World['view']>()

/** Loads the clouds; the first time they are looked at from outside, with what hangs above cut away. */
function useClouds(
  world: World | null,
  cloud: Cloud | undefined,
  job: string,
  frame: string | undefined,
  setLook: (f: (l: Look) => Look) => void,
) {
  const framed = useRef('')
  const query = frame ? `?frame=${frame}` : ''
  // a new revision has new poses: the tiles themselves stay, in the browser's cache
  useEffect(() => {
    if (!world || !cloud) return
    const url = `/api/jobs/${job}/tileset.json${query}${query ? '&' : '?'}revision=${cloud.revision}`
    world.scans.load(url, cloud, world.camera, world.renderer)
    const key = `${job} ${cloud.frame}`
    if (framed.current !== cloud.frame && cloud.scans.length > 0) {
      framed.current = cloud.frame
      const known = last.get(key)
      if (known) world.view = known
      else {
        const at = cloud.scans.map((s) => s.pose.translation)
        const reach = Math.max(14, ...at.map((t) => Math.hypot(t[0]!, t[1]!) + 16))
        // where the page is higher than wide, from farther: all scans are to be seen
        const back = reach * Math.max(1, 1.45 / world.aspect)
        world.view = { position: [-0.5 * back, -0.95 * back, 0.95 * back], target: [0, 0, 0], zoom: 1 }
        const top = Math.max(...at.map((t) => t[2]!)) + ABOVE
        // on the grid it is looked at as a place; where scans are registered they are told apart
        if (cloud.frame === 'grid' && cloud.scans.some((c) => c.coloured))
          setLook((l) => (l.colouring === 'scan' ? { ...l, colouring: 'colour' } : l))
        setLook((l) =>
          l.clip
            ? l
            : { ...l, clip: { middle: [0, 0, top - FAR], half: [2 * FAR, 2 * FAR, FAR], turn: 0, roof: true } },
        )
      }
    }
    world.draw()
    return () => void last.set(key, world.view)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the revision says when the cloud changed
  }, [world, cloud?.revision, job, query])
}

/** What is selected in the ledger comes before the eye. */
function useSelected(world: World | null, cloud: Cloud | undefined, targets: CloudTarget[], selected: string | null) {
  useEffect(() => {
    if (!world || !cloud || !selected) return
    const t = targets.find((x) => x.name === selected)
    const s = cloud.scans.find((x) => x.name === selected)
    const at = t ? t.position.map((v, i) => v - cloud.origin[i]!) : s?.pose.translation
    if (at) world.lookAt(new THREE.Vector3(...(at as [number, number, number])), 12)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only when the selection changes
  }, [world, selected])
}
