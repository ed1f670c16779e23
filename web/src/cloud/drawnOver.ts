import * as THREE from 'three'
import type { Drawn } from '../draw/drawn'
import { spaceOf } from '../draw/features'
import { axisOf, extentOf } from '../draw/solids'
import { lineOver } from './lines'
import type { World } from './world'

const ROUND = 28
const [FOUND, AGREED] = [0xd08a1c, 0x2a9a97]
const UP = new THREE.Vector3(0, 1, 0)

const CHOSEN = 0xc0561c
/** A line counts as met so near to it, metres. */
const BY = 0.15
const UNSEEN = new THREE.Material()
UNSEEN.visible = false

/** What is drawn, over the clouds: solids, of which those that nobody agreed with have dashed edges, and measured features. */
export function drawOver(w: World, drawn: Drawn[], origin: readonly number[], selected: string | null, dark: boolean) {
  clear(w)
  const [ink, halo] = dark ? [0xe9edf0, 0x22303c] : [0x22303c, 0xfaf7f0]
  const tone = (d: Drawn) => (d.data.found ? FOUND : AGREED)
  const local = (v: readonly number[]) =>
    new THREE.Vector3(...(v.map((x, k) => x - origin[k]!) as [number, number, number]))
  for (const d of drawn.filter((i) => i.kind === 'feature')) {
    const color = d.id === selected ? CHOSEN : ink
    for (const part of spaceOf(d)) {
      const corners = part.map(local)
      // what is clicked is the thin line; what is seen is drawn for the eye
      const form = new THREE.BufferGeometry().setFromPoints(corners)
      const met = corners.length > 1 ? new THREE.Line(form, UNSEEN) : new THREE.Points(form, UNSEEN)
      met.userData = { id: d.id }
      w.drawn3d.add(met, ...lineOver(corners, color, halo))
    }
  }
  for (const d of drawn) {
    const form = shape(d, local)
    if (!form) continue
    const on = d.id === selected
    const color = on ? CHOSEN : ink
    const body = new THREE.Mesh(
      form,
      new THREE.MeshBasicMaterial({
        color: on ? color : tone(d),
        transparent: true,
        opacity: on ? 0.6 : 0.42,
        depthWrite: false,
        side: THREE.DoubleSide,
      }),
    )
    body.userData = { id: d.id }
    body.renderOrder = 3
    const edges = new THREE.LineSegments(
      new THREE.EdgesGeometry(form, 30),
      d.data.found
        ? new THREE.LineDashedMaterial({ color, dashSize: 0.18, gapSize: 0.1 })
        : new THREE.LineBasicMaterial({ color }),
    )
    edges.computeLineDistances()
    edges.renderOrder = 4
    w.drawn3d.add(body, edges)
  }
  w.draw()
}

function clear(w: World) {
  w.drawn3d.traverse((o) => {
    const m = o as THREE.Mesh
    m.geometry?.dispose()
    ;(m.material as THREE.Material | undefined)?.dispose()
  })
  w.drawn3d.clear()
}

function shape(d: Drawn, local: (v: readonly number[]) => THREE.Vector3): THREE.BufferGeometry | null {
  const axis = axisOf(d)
  if (axis) {
    const [a, b] = axis.map(local) as [THREE.Vector3, THREE.Vector3]
    const radius = d.data.radius ?? 0
    const form = new THREE.CylinderGeometry(radius, radius, extentOf(d), ROUND)
    const turn = new THREE.Quaternion().setFromUnitVectors(UP, b.clone().sub(a).normalize())
    form.applyQuaternion(turn)
    const middle = a.add(b).multiplyScalar(0.5)
    return form.translate(middle.x, middle.y, middle.z)
  }
  const [low, high] = d.data.heights ?? []
  if (low == null || high == null || !d.data.line?.length) return null
  const outline = d.data.line.map((p) => local([p[0]!, p[1]!, low]))
  const form = new THREE.ExtrudeGeometry(new THREE.Shape(outline.map((p) => new THREE.Vector2(p.x, p.y))), {
    depth: high - low,
    bevelEnabled: false,
  })
  return form.translate(0, 0, outline[0]!.z)
}

/** Something drawn comes before the eye. */
export function showDrawn(w: World, id: string) {
  const all = new THREE.Box3()
  for (const o of w.drawn3d.children) if (o.userData.id === id) all.expandByObject(o)
  if (all.isEmpty()) return
  const { center, radius } = all.getBoundingSphere(new THREE.Sphere())
  w.lookAt(center, Math.max(9, 3.5 * radius))
}

/** What a ray meets first of all that is drawn. */
export function drawnAt(w: World, ray: THREE.Ray): string | null {
  const caster = new THREE.Raycaster(ray.origin, ray.direction)
  Object.assign(caster.params, { Line: { threshold: BY }, Points: { threshold: BY } })
  const [hit] = caster.intersectObjects(w.drawn3d.children.filter((o) => o.userData.id != null))
  return (hit?.object.userData.id as string | undefined) ?? null
}
