import * as THREE from 'three'
import type { Drawn } from '../draw/drawn'
import { axisOf, extentOf } from '../draw/solids'
import type { World } from './world'

const ROUND = 28
const [FOUND, AGREED] = [0xd08a1c, 0x2a9a97]
const UP = new THREE.Vector3(0, 1, 0)

/** Solids over the clouds: what nobody agreed with has dashed edges. */
export function drawSolids(
  w: World,
  solids: Drawn[],
  origin: readonly number[],
  selected: string | null,
  dark: boolean,
) {
  clear(w)
  const ink = dark ? 0xe9edf0 : 0x22303c
  const tone = (d: Drawn) => (d.data.found ? FOUND : AGREED)
  const local = (v: readonly number[]) =>
    new THREE.Vector3(...(v.map((x, k) => x - origin[k]!) as [number, number, number]))
  for (const d of solids) {
    const form = shape(d, local)
    if (!form) continue
    const on = d.id === selected
    const color = on ? 0xc0561c : ink
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
    w.solids.add(body, edges)
  }
  w.draw()
}

function clear(w: World) {
  w.solids.traverse((o) => {
    const m = o as THREE.Mesh
    m.geometry?.dispose()
    ;(m.material as THREE.Material | undefined)?.dispose()
  })
  w.solids.clear()
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

/** A solid comes before the eye. */
export function showSolid(w: World, id: string) {
  const body = w.solids.children.find((o) => o.userData.id === id) as THREE.Mesh | undefined
  if (!body) return
  body.geometry.computeBoundingSphere()
  const { center, radius } = body.geometry.boundingSphere!
  w.lookAt(center, Math.max(9, 3.5 * radius))
}

/** The solid that a ray meets first. */
export function solidAt(w: World, ray: THREE.Ray): string | null {
  const caster = new THREE.Raycaster(ray.origin, ray.direction)
  const [hit] = caster.intersectObjects(w.solids.children.filter((o) => o instanceof THREE.Mesh))
  return (hit?.object.userData.id as string | undefined) ?? null
}
