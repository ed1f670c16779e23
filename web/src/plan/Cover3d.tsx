import { useEffect, useRef, useState } from 'react'
import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { useUnits } from '../lib/units'
import { cellWords, colourOf, directions, type MapMode, MAPS, type Surface } from './maps'
import { ACCENT, INK, OCHRE, PAPER } from './style'
import type { Item } from './usePlan'
import { plan as words } from '../words'

const UP = new THREE.Vector3(0, 0, 1)

/** The site in space: every piece of every surface in the colour of the map, with what stands about. */
export function Cover3d({
  items,
  surfaces,
  mode,
  limit,
  selected,
  onSelect,
}: {
  items: Item[]
  surfaces: Surface[]
  mode: MapMode
  limit: number | null
  selected: string[]
  onSelect: (id: string) => void
}) {
  const box = useRef<HTMLDivElement>(null)
  const [said, say] = useState('')
  const [failed, fail] = useState('')
  const u = useUnits()
  const units = useRef(u)
  const pick = useRef(onSelect)
  const highlight = useRef<((ids: string[]) => void) | null>(null)
  useEffect(() => {
    units.current = u
    pick.current = onSelect
  })
  const camera = useRef<{ position: THREE.Vector3; target: THREE.Vector3 } | null>(null)
  const shown = mode === 'station' ? 'count' : mode
  useEffect(() => {
    const el = box.current
    if (!el) return
    let renderer: THREE.WebGLRenderer
    try {
      renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: navigator.webdriver })
    } catch {
      fail(words.thisBrowserShowsNo)
      return
    }
    const scene = new THREE.Scene()
    scene.background = new THREE.Color(PAPER)
    // everything about the middle of the site: grid coordinates are too long for a graphics card
    const points = items
      .filter((i) => i.kind !== 'underlay')
      .flatMap((i) => (i.data.line?.length ? i.data.line : [(i.data.position ?? [0, 0]).slice(0, 2)]))
    const middle = [0, 1].map(
      (k) => (Math.min(...points.map((p) => p[k]!)) + Math.max(...points.map((p) => p[k]!))) / 2,
    ) as [number, number]
    const size = Math.max(8, ...points.map((p) => Math.hypot(p[0]! - middle[0], p[1]! - middle[1])))
    const at = (x: number, y: number, z: number) => new THREE.Vector3(x - middle[0], y - middle[1], z)

    const position: number[] = [],
      colour: number[] = [],
      of: [Surface, number[]][] = []
    const marked = new Map<string, { material: THREE.MeshBasicMaterial; colour: string }>()
    const mark = (id: string, colour: string) => {
      const material = new THREE.MeshBasicMaterial({ color: colour })
      marked.set(id, { material, colour })
      return material
    }
    const tint = new THREE.Color()
    for (const s of surfaces) {
      const along = directions(s)
      for (const c of s.cells) {
        const [x, y, z, , w, h] = c as [number, number, number, number, number, number]
        const [dx, dy] = s.kind === 'wall' ? along(c) : [1, 0]
        const corner = (a: number, b: number) =>
          (s.kind === 'wall' ? at(x + dx * a * w, y + dy * a * w, z + b * h) : at(x + a * w, y + b * h, z)).toArray()
        const [p, q, r, t] = [corner(-0.5, -0.5), corner(0.5, -0.5), corner(0.5, 0.5), corner(-0.5, 0.5)]
        position.push(...p, ...q, ...r, ...p, ...r, ...t)
        tint.set(colourOf(shown, c, s.required, s.accuracy ?? limit))
        for (let k = 0; k < 6; k++) colour.push(tint.r, tint.g, tint.b)
        of.push([s, c])
      }
    }
    const pieces = new THREE.BufferGeometry()
    pieces.setAttribute('position', new THREE.Float32BufferAttribute(position, 3))
    pieces.setAttribute('color', new THREE.Float32BufferAttribute(colour, 3))
    const cells = new THREE.Mesh(pieces, new THREE.MeshBasicMaterial({ vertexColors: true, side: THREE.DoubleSide }))
    scene.add(cells)
    const solid = new THREE.MeshLambertMaterial({ color: '#aab1b4', transparent: true, opacity: 0.55 })
    const lines: THREE.Vector3[] = []
    const pickable: THREE.Object3D[] = []
    const put = (g: THREE.BufferGeometry, m: THREE.Material, p: THREE.Vector3, id: string) => {
      const o = new THREE.Mesh(g, m)
      o.position.copy(p)
      o.userData.id = id
      scene.add(o)
      pickable.push(o)
      return o
    }
    for (const i of items) {
      const d = i.data
      const [x, y, z] = d.position ?? [0, 0, 0]
      const line = d.line ?? []
      const [base, top] = [d.base ?? 0, d.top ?? 0]
      if (i.kind === 'obstacle') {
        const shape = new THREE.Shape(line.map((p) => new THREE.Vector2(p[0]! - middle[0], p[1]! - middle[1])))
        put(
          new THREE.ExtrudeGeometry(shape, { depth: top - base, bevelEnabled: false }),
          solid,
          new THREE.Vector3(0, 0, base),
          i.id,
        )
      } else if (i.kind === 'column')
        put(
          new THREE.CylinderGeometry(d.radius ?? 0.2, d.radius ?? 0.2, top - base, 20).rotateX(Math.PI / 2),
          solid,
          at(x!, y!, (base + top) / 2),
          i.id,
        )
      else if (i.kind === 'wall' || i.kind === 'edge')
        for (const [k, p] of line.entries()) {
          const n = line[k + 1]
          if (n) for (const h of [base, top]) lines.push(at(p[0]!, p[1]!, h), at(n[0]!, n[1]!, h))
          lines.push(at(p[0]!, p[1]!, base), at(p[0]!, p[1]!, top))
        }
      else if (i.kind === 'station') {
        put(new THREE.ConeGeometry(size / 90, size / 30, 3).rotateX(Math.PI / 2), mark(i.id, INK), at(x!, y!, z!), i.id)
        lines.push(at(x!, y!, z!), at(x!, y!, z! - 1.65))
      } else if (i.kind === 'target')
        put(
          d.target === 'sphere' || !d.target
            ? new THREE.SphereGeometry(size / 130, 16, 12)
            : new THREE.BoxGeometry(size / 90, size / 90, size / 90),
          mark(i.id, ACCENT),
          at(x!, y!, z!),
          i.id,
        )
    }
    scene.add(
      new THREE.LineSegments(
        new THREE.BufferGeometry().setFromPoints(lines),
        new THREE.LineBasicMaterial({ color: INK, transparent: true, opacity: 0.7 }),
      ),
    )
    // the ground, by tens of the job's unit
    const step = 10 * units.current.metres
    const grid = new THREE.GridHelper(
      2 * step * Math.ceil(size / step),
      2 * Math.ceil(size / step),
      '#c9c3b4',
      '#e2dccd',
    ).rotateX(Math.PI / 2)
    grid.position.z = Math.min(0, ...items.filter((i) => i.kind === 'wall').map((i) => i.data.base ?? 0)) - 0.02
    scene.add(grid)
    scene.add(new THREE.HemisphereLight('#ffffff', '#b8b3a6', 3))

    const view = new THREE.PerspectiveCamera(42, 1, size / 200, size * 40)
    view.up.copy(UP)
    view.position.copy(camera.current?.position ?? new THREE.Vector3(-0.9 * size, -2.5 * size, 2.2 * size))
    const controls = new OrbitControls(view, renderer.domElement)
    controls.target.copy(camera.current?.target ?? new THREE.Vector3(0, 0.1 * size, 1))
    controls.zoomToCursor = true
    controls.enableDamping = false
    controls.update()
    let due = 0
    const draw = () => {
      due ||= requestAnimationFrame(() => {
        due = 0
        renderer.render(scene, view)
      })
    }
    highlight.current = (ids) => {
      for (const [id, m] of marked) m.material.color.set(ids.includes(id) ? OCHRE : m.colour)
      draw()
    }
    controls.addEventListener('change', () => {
      camera.current = { position: view.position.clone(), target: controls.target.clone() }
      draw()
    })
    const resized = new ResizeObserver(() => {
      renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
      renderer.setSize(el.clientWidth, el.clientHeight)
      view.aspect = el.clientWidth / Math.max(el.clientHeight, 1)
      view.updateProjectionMatrix()
      draw()
    })
    el.append(renderer.domElement)
    resized.observe(el)
    const ray = new THREE.Raycaster()
    const under = (e: PointerEvent, what: THREE.Object3D[]) => {
      const r = el.getBoundingClientRect()
      ray.setFromCamera(
        new THREE.Vector2(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2),
        view,
      )
      return ray.intersectObjects(what, false)[0]
    }
    let pressed = [0, 0]
    let looking = 0
    const down = (e: PointerEvent) => {
      pressed = [e.clientX, e.clientY]
    }
    const up = (e: PointerEvent) => {
      if (Math.hypot(e.clientX - pressed[0]!, e.clientY - pressed[1]!) > 4) return
      const hit = under(e, [...pickable, cells])
      if (!hit) return
      if (hit.object === cells) pick.current(of[Math.floor((hit.faceIndex ?? 0) / 2)]![0].item)
      else pick.current(hit.object.userData.id as string)
    }
    const move = (e: PointerEvent) => {
      // once a frame is often enough
      if (e.buttons || looking) return
      looking = requestAnimationFrame(() => {
        looking = 0
        const hit = under(e, [cells])
        const piece = hit && of[Math.floor((hit.faceIndex ?? 0) / 2)]
        say(piece ? `${piece[0].name}: ${cellWords(piece[1], units.current)}` : '')
      })
    }
    renderer.domElement.addEventListener('pointerdown', down)
    renderer.domElement.addEventListener('pointerup', up)
    renderer.domElement.addEventListener('pointermove', move)
    return () => {
      resized.disconnect()
      cancelAnimationFrame(due)
      cancelAnimationFrame(looking)
      highlight.current = null
      controls.dispose()
      scene.traverse((o) => {
        if (o instanceof THREE.Mesh || o instanceof THREE.LineSegments) {
          ;(o.geometry as THREE.BufferGeometry).dispose()
          for (const m of [o.material].flat() as THREE.Material[]) m.dispose()
        }
      })
      renderer.dispose()
      renderer.domElement.remove()
    }
    // what is picked is tinted; the scene itself stays
  }, [items, surfaces, shown, limit])
  useEffect(() => highlight.current?.(selected), [selected])
  return (
    <div ref={box} className="ol" role="application" aria-label={words.coverInSpace}>
      {failed && <p className="warn">{failed}</p>}
      <div className="said3d">
        {said || words.pointAtAPiece}
        <br />
        <span className="faint">{MAPS.find((m) => m.value === shown)?.says}</span>
      </div>
    </div>
  )
}
