import { useEffect, useRef, useState } from 'react'
import { Checkbox, Segmented } from 'antd'
import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import type { Schema } from '../api/client'
import { useJob } from '../lib/hooks'

export interface CloudScan { id: string; name: string; pose: Schema['PoseDto'] }
export interface CloudTarget { name: string; position: number[]; kind: string }
export interface CloudTie { a: string; b: string; grade: string }

/** Points shown at most, over all scans. */
const BUDGET = 1_000_000
const COLOURS = [0x1d6b74, 0xa8562a, 0x5b4a8a, 0x5d7a1f, 0x9c3d63, 0x2d5fa3, 0x8a6110, 0x3f8f6a, 0x6b6b6b, 0xb04a3a, 0x2f8fa8, 0x7a5230]
const TIES: Record<string, { colour: number; dash: number; gap: number }> = {
  sound: { colour: 0x1d6b74, dash: 1e6, gap: 0 }, doubtful: { colour: 0x8a6110, dash: 0.7, gap: 0.4 }, failed: { colour: 0x93302b, dash: 0.9, gap: 0.9 }, 'not judged': { colour: 0x8a949c, dash: 0.1, gap: 0.25 },
}

/** The clouds in their present poses, with stations, targets and ties. Positions are shown about a
 *  local origin, so that large grid coordinates keep their digits on the graphics card. */
export function CloudView({ scans, targets, ties, selected, onPick }: { scans: CloudScan[]; targets: CloudTarget[]; ties: CloudTie[]; selected: string | null; onPick?: (name: string) => void }) {
  const job = useJob()
  const box = useRef<HTMLDivElement>(null)
  const world = useRef<{ scene: THREE.Scene; camera: THREE.PerspectiveCamera; controls: OrbitControls; draw: () => void; labels: HTMLDivElement } | null>(null)
  const clouds = useRef(new Map<string, THREE.Points>())
  const [colour, setColour] = useState<'scan' | 'intensity'>('scan')
  const [dark, setDark] = useState(false)
  const [loaded, setLoaded] = useState(0)
  const [gl, setGl] = useState(true)
  const origin = scans[0]?.pose.translation ?? targets[0]?.position ?? [0, 0, 0]
  const originKey = origin.map((v) => Math.round(v)).join()

  useEffect(() => {
    const el = box.current as HTMLDivElement
    let renderer: THREE.WebGLRenderer
    try {
      renderer = new THREE.WebGLRenderer({ antialias: false, preserveDrawingBuffer: true })
    } catch {
      setGl(false)
      return
    }
    const scene = new THREE.Scene()
    const camera = new THREE.PerspectiveCamera(50, 1, 0.1, 5000)
    camera.up.set(0, 0, 1)
    camera.position.set(-24, -42, 34)
    const controls = new OrbitControls(camera, renderer.domElement)
    controls.enableDamping = false
    el.appendChild(renderer.domElement)
    const labels = document.createElement('div')
    el.appendChild(labels)
    let due = false
    const v = new THREE.Vector3()
    const draw = () => {
      if (due) return
      due = true
      requestAnimationFrame(() => {
        due = false
        renderer.render(scene, camera)
        for (const lab of labels.children as unknown as HTMLElement[]) {
          v.fromArray((lab.dataset.at as string).split(',').map(Number)).project(camera)
          lab.style.display = v.z < 1 ? '' : 'none'
          lab.style.transform = `translate(${((v.x + 1) / 2) * el.clientWidth + 6}px, ${((1 - v.y) / 2) * el.clientHeight - 8}px)`
        }
      })
    }
    controls.addEventListener('change', draw)
    const resize = new ResizeObserver(() => {
      renderer.setSize(el.clientWidth, el.clientHeight)
      renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
      camera.aspect = el.clientWidth / Math.max(el.clientHeight, 1)
      camera.updateProjectionMatrix()
      draw()
    })
    resize.observe(el)
    world.current = { scene, camera, controls, draw, labels }
    const kept = clouds.current
    return () => {
      resize.disconnect()
      controls.dispose()
      kept.forEach((c) => c.geometry.dispose())
      kept.clear()
      renderer.dispose()
      el.replaceChildren()
      world.current = null
    }
  }, [])

  useEffect(() => {
    const w = world.current
    if (!w) return
    w.scene.background = new THREE.Color(dark ? 0x16202a : 0xfbf8f1)
    w.draw()
  }, [dark])

  // points are loaded once for each scan; a new pose only moves the matrix
  const ids = scans.map((s) => s.id).join()
  useEffect(() => {
    const w = world.current
    if (!w) return
    const stop = new AbortController()
    const share = Math.floor(BUDGET / Math.max(scans.length, 1))
    for (const [id, cloud] of clouds.current) {
      if (!scans.some((s) => s.id === id)) { w.scene.remove(cloud); cloud.geometry.dispose(); clouds.current.delete(id) }
    }
    void (async () => {
      for (const [i, s] of scans.entries()) {
        if (clouds.current.has(s.id)) continue
        const answer = await fetch(`/api/jobs/${job.id}/scans/${s.id}/points?max=${share}`, { signal: stop.signal })
        if (!answer.ok) continue
        const data = await answer.arrayBuffer()
        const n = new DataView(data).getUint32(0, true)
        const geometry = new THREE.BufferGeometry()
        geometry.setAttribute('position', new THREE.BufferAttribute(new Float32Array(data.slice(4, 4 + n * 12)), 3))
        geometry.setAttribute('level', new THREE.BufferAttribute(new Uint8Array(data, 4 + n * 12, n), 1, true))
        const material = new THREE.ShaderMaterial({
          uniforms: { hue: { value: new THREE.Color().setHex(COLOURS[i % COLOURS.length]!, THREE.LinearSRGBColorSpace) }, byLevel: { value: 0 } },
          vertexShader: 'attribute float level; varying float l; void main() { l = level; vec4 p = modelViewMatrix * vec4(position, 1.0); gl_PointSize = clamp(38.0 / -p.z, 1.2, 4.0); gl_Position = projectionMatrix * p; }',
          fragmentShader: 'uniform vec3 hue; uniform float byLevel; varying float l; void main() { gl_FragColor = vec4(mix(hue * (0.75 + 0.8 * l) + 0.06, vec3(sqrt(l)), byLevel), 1.0); }',
        })
        const cloud = new THREE.Points(geometry, material)
        cloud.matrixAutoUpdate = false
        cloud.frustumCulled = false
        clouds.current.set(s.id, cloud)
        w.scene.add(cloud)
        setLoaded((k) => k + n)
      }
    })().catch(() => undefined)
    return () => stop.abort()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the list of scans, not their poses
  }, [ids, job.id])

  useEffect(() => {
    const w = world.current
    if (!w) return
    const shift = originKey.split(',').map(Number)
    for (const s of scans) {
      const cloud = clouds.current.get(s.id)
      if (!cloud) continue
      const [qw, qx, qy, qz] = s.pose.rotation as [number, number, number, number]
      const t = s.pose.translation
      cloud.matrix.compose(new THREE.Vector3(t[0]! - shift[0]!, t[1]! - shift[1]!, t[2]! - shift[2]!), new THREE.Quaternion(qx, qy, qz, qw), new THREE.Vector3(1, 1, 1))
      cloud.matrixWorldNeedsUpdate = true
      const u = (cloud.material as THREE.ShaderMaterial).uniforms
      u.byLevel!.value = colour === 'intensity' ? 1 : 0
    }
    w.draw()
  }, [scans, originKey, colour, loaded])

  useEffect(() => {
    const w = world.current
    if (!w) return
    const shift = originKey.split(',').map(Number)
    const local = (p: readonly number[]) => new THREE.Vector3(p[0]! - shift[0]!, p[1]! - shift[1]!, p[2]! - shift[2]!)
    const marks = new THREE.Group()
    w.labels.replaceChildren()
    const label = (name: string, at: THREE.Vector3, on: boolean) => {
      const lab = document.createElement('div')
      lab.className = 'lab'
      lab.dataset.at = at.toArray().join()
      lab.textContent = on ? `▸ ${name}` : name
      w.labels.appendChild(lab)
    }
    const ink = dark ? 0xe9edf0 : 0x22303c
    const where = new Map<string, THREE.Vector3>()
    for (const s of scans) {
      const at = local(s.pose.translation)
      where.set(s.name, at)
      const cone = new THREE.Mesh(new THREE.ConeGeometry(0.35, 0.8, 3), new THREE.MeshBasicMaterial({ color: ink }))
      cone.rotation.x = Math.PI / 2
      cone.position.copy(at)
      marks.add(cone)
      label(s.name, at, selected === s.name)
    }
    for (const t of targets) {
      const at = local(t.position)
      const on = selected === t.name
      const form = t.kind === 'checker' ? new THREE.BoxGeometry(0.4, 0.4, 0.4) : new THREE.SphereGeometry(on ? 0.34 : 0.22, 16, 10)
      const mesh = new THREE.Mesh(form, new THREE.MeshBasicMaterial({ color: on ? 0xd08a1c : 0x2a9a97 }))
      mesh.position.copy(at)
      marks.add(mesh)
      label(t.name, at, on)
      if (on) { w.controls.target.copy(at) }
    }
    for (const tie of ties) {
      const [a, b] = [where.get(tie.a), where.get(tie.b)]
      if (!a || !b) continue
      const look = TIES[tie.grade] ?? TIES['not judged']!
      const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints([a, b]), new THREE.LineDashedMaterial({ color: look.colour, dashSize: look.dash, gapSize: look.gap }))
      line.computeLineDistances()
      marks.add(line)
    }
    w.scene.add(marks)
    w.controls.update()
    w.draw()
    return () => { w.scene.remove(marks) }
  }, [scans, targets, ties, selected, originKey, dark])

  return (
    <div className={`cloud ${dark ? 'dark' : ''}`} data-points={loaded} onDoubleClick={() => onPick?.('')}>
      <div ref={box} style={{ position: 'absolute', inset: 0 }} role="img" aria-label={`${scans.length} scans in their poses, ${loaded} points shown`} />
      {!gl && <p className="empty" style={{ padding: 20 }}>This browser has no 3-D graphics (WebGL). The ledgers beside hold the same figures.</p>}
      <div className="tools">
        <Segmented value={colour} onChange={setColour} options={[{ value: 'scan', label: 'By scan' }, { value: 'intensity', label: 'By intensity' }]} />
        <Checkbox checked={dark} onChange={(e) => setDark(e.target.checked)}>dark</Checkbox>
      </div>
      <div className="hint">{(loaded / 1e6).toFixed(2)} million points · drag to turn, right-drag to shift, wheel to approach</div>
    </div>
  )
}
