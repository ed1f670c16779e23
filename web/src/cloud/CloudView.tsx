import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useRef, useState } from 'react'
import * as THREE from 'three'
import { api, type Schema, unwrap } from '../api/client'
import { useJob, useKey } from '../lib/hooks'
import { CloudTools } from './CloudTools'
import { COLOURINGS, FIRST, type Look, type Projection } from './look'
import { type CloudTarget, type CloudTie, drawMarks } from './marks'
import { MeasurePanel } from './MeasurePanel'
import type { Picked } from './scans'
import { World } from './world'

const NOTHING: Schema['CloudScanDto'][] = []

/** The clouds in their present poses, with stations, targets and ties. Positions are shown about a
 *  local origin, so that large grid coordinates keep their digits on the graphics card. */
export function CloudView({
  frame,
  targets,
  ties,
  selected,
}: {
  frame?: 'grid' | 'block'
  targets: CloudTarget[]
  ties: CloudTie[]
  selected: string | null
}) {
  const job = useJob()
  const box = useRef<HTMLDivElement>(null)
  const [world, setWorld] = useState<World | null>(null)
  const [gl, setGl] = useState(true)
  const [look, setLook] = useState<Look>(FIRST)
  const [shown, setShown] = useState({ points: 0, busy: true })
  const [picked, setPicked] = useState<Picked[]>([])
  const [measuring, setMeasuring] = useState(false)
  const [station, setStation] = useState<string | null>(null)
  const query = frame ? `?frame=${frame}` : ''
  const cloud = useQuery({
    queryKey: ['job', job.id, '/api/jobs/{job}/cloud', frame],
    queryFn: async () =>
      unwrap(await api.GET('/api/jobs/{job}/cloud', { params: { path: { job: job.id }, query: { frame } } })),
  }).data
  const scans = cloud?.scans ?? NOTHING
  const limit = job.brief.requirement.spatial95 ?? job.brief.requirement.horizontal95 ?? null

  useEffect(() => {
    try {
      const w = new World(box.current as HTMLElement)
      w.drawn = () =>
        setShown((old) =>
          old.points === w.scans.points && old.busy === w.scans.busy
            ? old
            : { points: w.scans.points, busy: w.scans.busy },
        )
      setWorld(w)
      return () => {
        w.dispose()
        setWorld(null)
      }
    } catch {
      setGl(false)
    }
  }, [])

  // a new revision has new poses: the tiles themselves stay, in the browser's cache
  const framed = useRef('')
  useEffect(() => {
    if (!world || !cloud) return
    world.scans.load(
      `/api/jobs/${job.id}/tileset.json${query}${query ? '&' : '?'}revision=${cloud.revision}`,
      cloud,
      world.camera,
      world.renderer,
    )
    if (framed.current !== cloud.frame && cloud.scans.length > 0) {
      framed.current = cloud.frame
      const reach = Math.max(
        14,
        ...cloud.scans.map((s) => Math.hypot(s.pose.translation[0]!, s.pose.translation[1]!) + 16),
      )
      // where the page is higher than wide, from farther: all scans are to be seen
      const back = reach * Math.max(1, 1.45 / world.aspect)
      world.view = { position: [-0.55 * back, -1.05 * back, 0.85 * back], target: [0, 0, 0], zoom: 1 }
    }
    world.draw()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the revision says when the cloud changed
  }, [world, cloud?.revision, job.id, query])

  useEffect(() => {
    if (!world) return
    world.scene.background = new THREE.Color(look.dark ? 0x16202a : 0xfbf8f1)
    world.scans.look(look, limit)
    world.draw()
  }, [world, look, limit])

  const enter = useMemo(
    () => (name: string) => {
      const s = cloud?.scans.find((x) => x.name === name)
      if (!world || !s) return
      const [w, x, y, z] = s.pose.rotation as [number, number, number, number]
      world.enter(
        `/api/jobs/${job.id}/scans/${s.id}/panorama`,
        new THREE.Matrix4().compose(
          new THREE.Vector3(...(s.pose.translation as [number, number, number])),
          new THREE.Quaternion(x, y, z, w),
          new THREE.Vector3(1, 1, 1),
        ),
      )
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
        scans,
        targets,
        ties,
        origin: cloud.origin,
        selected,
        picked,
        dark: look.dark,
        grades: look.colouring === 'grade',
        onStation: enter,
      })
  }, [world, cloud, scans, targets, ties, selected, picked, look.dark, look.colouring, enter])

  // what is selected in the ledger comes before the eye
  useEffect(() => {
    if (!world || !cloud || !selected) return
    const t = targets.find((x) => x.name === selected)
    const s = scans.find((x) => x.name === selected)
    const at = t ? t.position.map((v, i) => v - cloud.origin[i]!) : s?.pose.translation
    if (at) world.lookAt(new THREE.Vector3(...(at as [number, number, number])), 12)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only when the selection changes
  }, [world, selected])

  useKey('escape', () => {
    if (station) leave()
    else {
      setPicked([])
      setMeasuring(false)
    }
  })
  useKey('m', () => setMeasuring((m) => !m))
  useKey('backspace', () => setPicked((p) => p.slice(0, -1)))

  const down = useRef<[number, number]>([0, 0])
  const click = (e: React.PointerEvent) => {
    if (
      !world ||
      !measuring ||
      station ||
      (e.target as HTMLElement).tagName !== 'CANVAS' ||
      Math.hypot(e.clientX - down.current[0], e.clientY - down.current[1]) > 4
    )
      return
    const { ray, angle, flat } = world.ray(e.clientX, e.clientY)
    const hit = world.scans.pick(ray, angle, flat)
    if (hit) setPicked((p) => [...p.slice(-19), hit])
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
    >
      <div
        ref={box}
        style={{ position: 'absolute', inset: 0, cursor: measuring ? 'crosshair' : undefined }}
        role="img"
        aria-label={`${scans.length} scans in their poses, ${shown.points} points shown`}
      />
      {!gl && (
        <p className="empty" style={{ padding: 20 }}>
          This browser has no 3-D graphics (WebGL). The ledgers beside hold the same figures.
        </p>
      )}
      {cloud && scans.length === 0 && (
        <p className="empty" style={{ position: 'absolute', inset: '76px 24px auto' }}>
          No scan has a place yet: take or upload scans, then register them.
        </p>
      )}
      {world && cloud && (
        <CloudTools
          world={world}
          cloud={cloud}
          look={look}
          setLook={setLook}
          project={project}
          measuring={measuring}
          setMeasuring={setMeasuring}
          picked={picked}
          setPicked={setPicked}
        />
      )}
      {station && (
        <div className="at-station">
          At {station}: drag to look around <button onClick={leave}>leave (Esc)</button>
        </div>
      )}
      {!station && <MeasurePanel frame={frame} picked={picked} onClear={() => setPicked([])} />}
      {picked.length === 0 && !station && (
        <div className="hint">
          {(shown.points / 1e6).toFixed(2)} million points{shown.busy && scans.length > 0 ? ', loading' : ''} ·{' '}
          {measuring
            ? 'click points to measure, Esc ends'
            : 'drag to turn, right-drag to shift, wheel to approach, m to measure'}
          {cloud?.frame === 'as delivered' ? ' · poses as the files say, not adjusted' : ''}
          {look.colouring !== 'scan' && ` · ${COLOURINGS.find((c) => c.value === look.colouring)?.says}`}
        </div>
      )}
    </div>
  )
}
