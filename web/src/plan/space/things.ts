import * as THREE from 'three'
import type { Item } from '../usePlan'
import { ACCENT, INK, OCHRE } from '../style'
import type { Site } from './site'

interface Marked {
  material: THREE.MeshBasicMaterial
  colour: string
}

/** What stands about: obstacles, columns, edges of walls, stations and targets; each can be picked. */
export class Things {
  readonly group = new THREE.Group()
  readonly pickable: THREE.Object3D[] = []
  private readonly lines: THREE.Vector3[] = []
  private readonly marked = new Map<string, Marked>()
  private readonly solid = new THREE.MeshLambertMaterial({ color: '#aab1b4', transparent: true, opacity: 0.55 })

  constructor(
    private readonly site: Site,
    items: Item[],
  ) {
    for (const i of items) {
      if (i.kind === 'obstacle') this.obstacle(i)
      else if (i.kind === 'column') this.column(i)
      else if (i.kind === 'wall' || i.kind === 'edge') this.wall(i)
      else if (i.kind === 'station') this.station(i)
      else if (i.kind === 'target') this.target(i)
    }
    this.group.add(
      new THREE.LineSegments(
        new THREE.BufferGeometry().setFromPoints(this.lines),
        new THREE.LineBasicMaterial({ color: INK, transparent: true, opacity: 0.7 }),
      ),
    )
  }

  highlight(ids: string[]) {
    for (const [id, m] of this.marked) m.material.color.set(ids.includes(id) ? OCHRE : m.colour)
  }

  private mark(id: string, colour: string) {
    const material = new THREE.MeshBasicMaterial({ color: colour })
    this.marked.set(id, { material, colour })
    return material
  }

  private put(g: THREE.BufferGeometry, m: THREE.Material, p: THREE.Vector3, id: string) {
    const o = new THREE.Mesh(g, m)
    o.position.copy(p)
    o.userData.id = id
    this.group.add(o)
    this.pickable.push(o)
  }

  private obstacle({ id, data: d }: Item) {
    const { middle } = this.site
    const base = d.base ?? 0
    const shape = new THREE.Shape((d.line ?? []).map((p) => new THREE.Vector2(p[0]! - middle[0], p[1]! - middle[1])))
    const body = new THREE.ExtrudeGeometry(shape, { depth: (d.top ?? 0) - base, bevelEnabled: false })
    this.put(body, this.solid, new THREE.Vector3(0, 0, base), id)
  }

  private column({ id, data: d }: Item) {
    const [x, y] = d.position ?? [0, 0]
    const [base, top, radius] = [d.base ?? 0, d.top ?? 0, d.radius ?? 0.2]
    const body = new THREE.CylinderGeometry(radius, radius, top - base, 20).rotateX(Math.PI / 2)
    this.put(body, this.solid, this.site.at(x!, y!, (base + top) / 2), id)
  }

  private wall({ data: d }: Item) {
    const { at } = this.site
    const line = d.line ?? []
    const [base, top] = [d.base ?? 0, d.top ?? 0]
    for (const [k, p] of line.entries()) {
      const n = line[k + 1]
      if (n) for (const h of [base, top]) this.lines.push(at(p[0]!, p[1]!, h), at(n[0]!, n[1]!, h))
      this.lines.push(at(p[0]!, p[1]!, base), at(p[0]!, p[1]!, top))
    }
  }

  private station({ id, data: d }: Item) {
    const { at, size } = this.site
    const [x, y, z] = d.position ?? [0, 0, 0]
    const cone = new THREE.ConeGeometry(size / 90, size / 30, 3).rotateX(Math.PI / 2)
    this.put(cone, this.mark(id, INK), at(x!, y!, z!), id)
    this.lines.push(at(x!, y!, z!), at(x!, y!, z! - 1.65))
  }

  private target({ id, data: d }: Item) {
    const { at, size } = this.site
    const [x, y, z] = d.position ?? [0, 0, 0]
    const round = d.target === 'sphere' || !d.target
    const body = round
      ? new THREE.SphereGeometry(size / 130, 16, 12)
      : new THREE.BoxGeometry(size / 90, size / 90, size / 90)
    this.put(body, this.mark(id, ACCENT), at(x!, y!, z!), id)
  }
}
