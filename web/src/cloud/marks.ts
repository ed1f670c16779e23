import * as THREE from 'three'
import type { Schema } from '../api/client'
import { GRADES } from './material'
import type { Picked } from './scans'
import type { CloudNote } from './usePins'
import type { World } from './world'
import { cloud as words } from '../words'

export interface CloudTarget {
  name: string
  position: number[]
  kind: string
}
export interface CloudTie {
  a: string
  b: string
  grade: string
}

const DASHES: Record<string, [number, number]> = {
  sound: [1e6, 0],
  doubtful: [0.7, 0.4],
  failed: [0.9, 0.9],
  not_judged: [0.1, 0.25],
}
const SIGNS: Record<string, string> = { doubtful: ' ?', failed: ' ×' }

/** Stations, targets, ties and measured points, with their names. */
export function drawMarks(
  w: World,
  p: {
    scans: Schema['CloudScanDto'][]
    targets: CloudTarget[]
    ties: CloudTie[]
    notes: CloudNote[]
    origin: readonly number[]
    selected: string | null
    picked: Picked[]
    dark: boolean
    grades: boolean
    onStation: (name: string) => void
    onTarget?: (name: string) => void
  },
) {
  const clear = (o: THREE.Object3D) => {
    const m = o as THREE.Mesh
    m.geometry?.dispose()
    ;(m.material as THREE.Material | undefined)?.dispose()
  }
  w.marks.traverse(clear)
  w.marks.clear()
  w.labels.replaceChildren()
  const local = (v: readonly number[]) =>
    new THREE.Vector3(v[0]! - p.origin[0]!, v[1]! - p.origin[1]!, v[2]! - p.origin[2]!)
  const paint = (color: number) => new THREE.MeshBasicMaterial({ color })
  const ink = p.dark ? 0xe9edf0 : 0x22303c
  const where = new Map<string, THREE.Vector3>()
  for (const s of p.scans) {
    const at = new THREE.Vector3(...(s.pose.translation as [number, number, number]))
    where.set(s.name, at)
    const cone = new THREE.Mesh(new THREE.ConeGeometry(0.3, 0.7, 3), paint(p.selected === s.name ? 0xd08a1c : ink))
    cone.rotation.x = Math.PI / 2
    cone.position.copy(at)
    w.marks.add(cone)
    const lab = w.label(
      `${p.selected === s.name ? '▸ ' : ''}${s.name}${p.grades ? (SIGNS[s.grade] ?? '') : ''}`,
      at,
      'station',
      p.selected === s.name ? 0 : 1,
    )
    lab.title = words.standAtAndLook(s.name)
    lab.onclick = () => p.onStation(s.name)
  }
  for (const t of p.targets) {
    const at = local(t.position)
    const on = p.selected === t.name
    const form =
      t.kind === 'checker' ? new THREE.BoxGeometry(0.3, 0.3, 0.3) : new THREE.SphereGeometry(on ? 0.3 : 0.2, 16, 10)
    const mesh = new THREE.Mesh(form, paint(on ? 0xd08a1c : 0x2a9a97))
    mesh.position.copy(at)
    w.marks.add(mesh)
    const name = w.label(on ? `▸ ${t.name}` : t.name, at, p.onTarget ? 'station' : '', on ? 0 : 2)
    if (p.onTarget) name.onclick = () => p.onTarget?.(t.name)
  }
  for (const tie of p.ties) {
    const [a, b] = [where.get(tie.a), where.get(tie.b)]
    if (!a || !b) continue
    const [dashSize, gapSize] = DASHES[tie.grade] ?? DASHES.not_judged!
    const line = new THREE.Line(
      new THREE.BufferGeometry().setFromPoints([a, b]),
      new THREE.LineDashedMaterial({ color: GRADES[tie.grade] ?? GRADES.not_judged!, dashSize, gapSize }),
    )
    line.computeLineDistances()
    w.marks.add(line)
  }
  for (const n of p.notes) {
    const at = new THREE.Vector3(...n.at)
    const mesh = new THREE.Mesh(new THREE.OctahedronGeometry(0.12), paint(n.hazard ? 0xb33a34 : 0xd08a1c))
    mesh.position.copy(at)
    w.marks.add(mesh)
    w.label(`${n.hazard ? '! ' : '✎ '}${n.text}`, at, n.hazard ? 'note hazard' : 'note', n.hazard ? 0 : 1)
  }
  p.picked.forEach((q, i) => {
    const mesh = new THREE.Mesh(
      new THREE.SphereGeometry(0.06, 12, 8),
      new THREE.MeshBasicMaterial({ color: 0xc0561c, depthTest: false, transparent: true }),
    )
    mesh.position.copy(q.world)
    mesh.renderOrder = 5
    w.marks.add(mesh)
    w.label(String(i + 1), q.world, 'picked')
    const from = p.picked[i - 1]
    if (from) {
      const line = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints([from.world, q.world]),
        new THREE.LineBasicMaterial({ color: 0xc0561c, depthTest: false, transparent: true }),
      )
      line.renderOrder = 5
      w.marks.add(line)
    }
  })
  w.draw()
}
