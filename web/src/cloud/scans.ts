import { LoadRegionPlugin, OBBRegion } from '3d-tiles-renderer/plugins'
import { OBB, TilesRenderer } from '3d-tiles-renderer/three'
import * as THREE from 'three'
import type { Schema } from '../api/client'
import type { Clip, Look } from './look'
import { material, type OfScan, ofScan, setMode, shared } from './material'

type Cloud = Schema['CloudDto']
interface Tile {
  geometricError: number
  parent: Tile | null
  children: Tile[]
}
type Shown = THREE.Points<THREE.BufferGeometry, THREE.ShaderMaterial>
/** A point that was picked: in the scanner's frame, and about the origin of the view. */
export interface Picked {
  scan: string
  name: string
  local: [number, number, number]
  world: THREE.Vector3
}

/** Distance between points, in pixels, that is fine enough. */
const FINE = 2

/** From a box to the cube from −1 to 1. */
export function boxMatrix(c: Clip): THREE.Matrix4 {
  const turn = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 0, 1), c.turn)
  return new THREE.Matrix4().compose(new THREE.Vector3(...c.middle), turn, new THREE.Vector3(...c.half)).invert()
}
/** How long nothing may come or go until a picture counts as complete, milliseconds. */
const SETTLED = 400

/** The point clouds of a job as one tree of tiles: loads what is seen, at the detail that is seen,
 *  within a budget of points. */
export class Scans {
  readonly group = new THREE.Group()
  readonly uniforms = shared()
  points = 0
  busy = true
  private state = ''
  private quiet = 0
  private tiles: TilesRenderer | null = null
  private regions = new LoadRegionPlugin()
  private looks = new Map<string, OfScan>()
  private materials = new Map<string, THREE.ShaderMaterial>()
  private inverse = new Map<string, THREE.Matrix4>()
  private names = new Map<string, string>()
  private clip: THREE.Matrix4 | null = null
  private balanced = 0
  private off = new Set<string>()
  /** Tiles that could not be loaded. */
  failed = 0

  constructor(
    private changed: () => void,
    private most: number,
  ) {}

  /** Shows a cloud; tiles that are loaded already come from the browser's cache. */
  load(url: string, cloud: Cloud, camera: THREE.Camera, renderer: THREE.WebGLRenderer) {
    this.drop()
    for (const [i, s] of cloud.scans.entries()) {
      const known = this.looks.get(s.id)
      const fresh = ofScan(s, i)
      if (known)
        Object.keys(fresh).forEach((k) => {
          ;(known as Record<string, { value: unknown }>)[k]!.value = (fresh as Record<string, { value: unknown }>)[
            k
          ]!.value
        })
      else this.looks.set(s.id, fresh)
      const [w, x, y, z] = s.pose.rotation as [number, number, number, number]
      const pose = new THREE.Matrix4().compose(
        new THREE.Vector3(...(s.pose.translation as [number, number, number])),
        new THREE.Quaternion(x, y, z, w),
        new THREE.Vector3(1, 1, 1),
      )
      this.inverse.set(s.id, pose.invert())
      this.names.set(s.id, s.name)
    }
    const tiles = new TilesRenderer(url)
    tiles.fetchOptions = { credentials: 'same-origin' }
    tiles.errorTarget = FINE
    tiles.displayActiveTiles = false
    // parsing a tile of points takes little: many a frame, where frames are slow
    tiles.parseQueue.maxJobs = 30
    tiles.lruCache.maxBytesSize = this.most * 60
    tiles.lruCache.minBytesSize = this.most * 40
    this.regions = new LoadRegionPlugin()
    tiles.registerPlugin(this.regions)
    tiles.addEventListener('load-model', ({ scene, url }: { scene: THREE.Object3D; url: string }) => {
      const id = /scans\/([0-9a-f-]+)\//.exec(url)?.[1] ?? ''
      const look = this.looks.get(id)
      scene.traverse((o) => {
        const p = o as Shown
        if (!p.isPoints || !look) return
        const old = p.material as THREE.Material
        const coloured = !!p.geometry.attributes.color
        const key = `${id} ${coloured}`
        // one material for all tiles of a scan: only the spacing differs, and is set as each is drawn
        const own = this.materials.get(key) ?? material(this.uniforms, look, coloured)
        this.materials.set(key, own)
        p.material = own
        p.onBeforeRender = () => {
          own.uniforms.spacing!.value = p.userData.spacing as number
          own.uniformsNeedUpdate = true
        }
        old.dispose()
        p.userData.scan = id
        p.userData.spacing = 0.02
        p.frustumCulled = false
      })
      this.changed()
    })
    tiles.addEventListener('load-root-tileset', () => {
      const b = new THREE.Box3()
      if (tiles.getBoundingBox(b)) this.uniforms.heights.value.set(Math.max(b.min.z, -20), Math.min(b.max.z, 40))
      this.changed()
    })
    for (const e of ['needs-update', 'tiles-load-end', 'tile-visibility-change'])
      tiles.addEventListener(e, () => this.changed())
    tiles.addEventListener('load-error', () => {
      this.failed++
      this.changed()
    })
    this.failed = 0
    this.tiles = tiles
    this.turn(this.off)
    this.use(camera, renderer)
    this.group.add(tiles.group)
    this.setClip(this.clipped)
  }

  private clipped: Clip | null = null

  /** The camera decides what is loaded. */
  use(camera: THREE.Camera, renderer: THREE.WebGLRenderer) {
    const t = this.tiles
    if (!t) return
    for (const c of [...t.cameras]) if (c !== camera) t.deleteCamera(c)
    t.setCamera(camera)
    t.setResolutionFromRenderer(camera, renderer)
  }

  /** Scans by identifier that are not shown. */
  turn(off: Set<string>) {
    this.off = off
    for (const [id, look] of this.looks) look.on.value = off.has(id) ? 0 : 1
    this.changed()
  }

  /** Asks for the tiles that did not come once more. */
  again() {
    this.failed = 0
    this.tiles?.resetFailedTiles()
    this.changed()
  }

  /** How high and low the clouds reach about the origin, metres. */
  get heights(): [number, number] | null {
    const b = new THREE.Box3()
    return this.tiles?.getBoundingBox(b) ? [b.min.z, b.max.z] : null
  }

  look(l: Look, limit: number | null) {
    setMode(this.uniforms, l.colouring)
    this.uniforms.size.value = l.size
    this.uniforms.limit.value = limit ?? 0.01
    this.uniforms.outs.value = { shown: 0, marked: 1, hidden: 2 }[l.outs ?? 'marked']
    this.setClip(l.clip)
  }

  private setClip(clip: Clip | null) {
    this.clipped = clip
    this.clip = clip && boxMatrix(clip)
    this.uniforms.boxed.value = clip ? 1 : 0
    this.regions.clearRegions()
    if (clip && this.clip) {
      this.uniforms.box.value.copy(this.clip)
      // tiles outside the box are not loaded at all
      const b = new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1))
      const obb = new OBB(b, this.clip.clone().invert())
      obb.update()
      this.regions.addRegion(new OBBRegion({ obb, mask: true, errorTarget: 1e6 }))
    }
  }

  /** Once a frame, before drawing: loads and drops tiles; returns whether more is to come. */
  update(): boolean {
    const t = this.tiles
    if (!t) return false
    t.group.updateMatrixWorld(true)
    t.update()
    let points = 0
    for (const tile of t.visibleTiles as unknown as Set<Tile>) {
      const scene = (tile as unknown as { engineData: { scene: THREE.Object3D | null } }).engineData.scene
      if (!scene) continue
      const divided = tile.children.some((c) => (t.visibleTiles as unknown as Set<Tile>).has(c))
      const error = tile.geometricError || (tile.parent?.geometricError ?? 0.04) / 2
      scene.traverse((o) => {
        const p = o as Shown
        if (!p.isPoints || !p.userData.scan) return
        points += p.geometry.attributes.position!.count
        p.userData.spacing = Math.min(divided ? error * 0.22 : error, 1)
      })
    }
    this.points = points
    // keep within the budget: points go with the square of the detail. Now and then only, because
    // what is asked for takes a while to come
    const now = performance.now()
    if (now - this.balanced > 600) {
      this.balanced = now
      const share = points / this.most
      if (share > 1) t.errorTarget = Math.min(t.errorTarget * Math.min(Math.sqrt(share) * 1.08, 2), 200)
      else if (share < 0.45 && t.errorTarget > FINE && !this.busy) {
        t.errorTarget = Math.max(t.errorTarget * 0.8, FINE)
        this.changed()
      }
    }
    const load = t as unknown as { loadProgress: number }
    // between one level of detail and the next the queue is empty for a moment: the picture is complete
    // when nothing has come or gone for a while
    const state = `${points} ${t.visibleTiles.size}`
    if (t.root == null || load.loadProgress < 1 || state !== this.state) this.quiet = now
    this.state = state
    this.busy = now - this.quiet < SETTLED
    return this.busy || points > this.most * 1.05
  }

  /** The nearest shown point whose ray passes within `pixels` of the given one. */
  pick(ray: THREE.Ray, angle: number, flat: number | null): Picked | null {
    let best: { score: number; mesh: Shown; index: number } | null = null
    const inverse = new THREE.Matrix4(),
      r = new THREE.Ray(),
      world = new THREE.Vector3()
    for (const tile of (this.tiles?.visibleTiles ?? []) as unknown as Set<Tile>) {
      ;(tile as unknown as { engineData: { scene: THREE.Object3D | null } }).engineData.scene?.traverse((o) => {
        const p = o as Shown
        if (!p.isPoints || !p.userData.scan || this.off.has(p.userData.scan as string)) return
        r.copy(ray).applyMatrix4(inverse.copy(p.matrixWorld).invert())
        if (!p.geometry.boundingSphere) p.geometry.computeBoundingSphere()
        const s = p.geometry.boundingSphere!
        const reach = s.radius + (flat ?? angle * (s.center.distanceTo(r.origin) + s.radius))
        if (r.distanceSqToPoint(s.center) > reach * reach) return
        const a = p.geometry.attributes.position!.array as Float32Array
        const { x: ox, y: oy, z: oz } = r.origin,
          { x: dx, y: dy, z: dz } = r.direction
        for (let i = 0; i < a.length; i += 3) {
          const x = a[i]! - ox,
            y = a[i + 1]! - oy,
            z = a[i + 2]! - oz
          const along = x * dx + y * dy + z * dz
          if (along <= 0.05) continue
          const off = Math.sqrt(Math.max(x * x + y * y + z * z - along * along, 0))
          const allowed = flat ?? angle * along
          if (off > allowed) continue
          // nearer wins, but a point right under the pointer beats one a little nearer at the rim
          const score = along * (1 + 0.05 * (off / allowed))
          if (best && score >= best.score) continue
          if (this.clip) {
            const q = world
              .set(a[i]!, a[i + 1]!, a[i + 2])
              .applyMatrix4(p.matrixWorld)
              .applyMatrix4(this.clip)
            if (Math.max(Math.abs(q.x), Math.abs(q.y), Math.abs(q.z)) > 1) continue
          }
          best = { score, mesh: p, index: i / 3 }
        }
      })
    }
    if (!best) return null
    const { mesh, index } = best as { mesh: Shown; index: number }
    const at = new THREE.Vector3()
      .fromBufferAttribute(mesh.geometry.attributes.position!, index)
      .applyMatrix4(mesh.matrixWorld)
    const scan = mesh.userData.scan as string
    return {
      scan,
      name: this.names.get(scan) ?? '',
      local: at.clone().applyMatrix4(this.inverse.get(scan)!).toArray(),
      world: at,
    }
  }

  drop() {
    if (!this.tiles) return
    this.group.remove(this.tiles.group)
    this.tiles.dispose()
    this.tiles = null
    this.points = 0
  }
}
