import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { PAPER } from '../style'
import type { Item } from '../usePlan'
import type { Site } from './site'

const UP = new THREE.Vector3(0, 0, 1)

/** Where somebody stood when the scene was last drawn. */
export type Eye = { position: THREE.Vector3; target: THREE.Vector3 } | null

/** The scene with its ground, light, camera and canvas; it draws when something changed, not otherwise. */
export class Stage {
  readonly scene = new THREE.Scene()
  readonly view: THREE.PerspectiveCamera
  private readonly controls: OrbitControls
  private readonly resized: ResizeObserver
  private readonly ray = new THREE.Raycaster()
  private due = 0

  constructor(
    readonly el: HTMLElement,
    readonly renderer: THREE.WebGLRenderer,
    site: Site,
    eye: Eye,
    onMove: (eye: Eye) => void,
  ) {
    const { size } = site
    this.scene.background = new THREE.Color(PAPER)
    this.scene.add(new THREE.HemisphereLight('#ffffff', '#b8b3a6', 3))
    this.view = new THREE.PerspectiveCamera(42, 1, size / 200, size * 40)
    this.view.up.copy(UP)
    this.view.position.copy(eye?.position ?? new THREE.Vector3(-0.9 * size, -2.5 * size, 2.2 * size))
    this.controls = new OrbitControls(this.view, renderer.domElement)
    this.controls.target.copy(eye?.target ?? new THREE.Vector3(0, 0.1 * size, 1))
    this.controls.zoomToCursor = true
    this.controls.enableDamping = false
    this.controls.update()
    this.controls.addEventListener('change', () => {
      onMove({ position: this.view.position.clone(), target: this.controls.target.clone() })
      this.draw()
    })
    el.append(renderer.domElement)
    this.resized = new ResizeObserver(() => this.fit())
    this.resized.observe(el)
  }

  /** The ground, by tens of the job's unit (`metres` in one of it). */
  ground(site: Site, items: Item[], metres: number) {
    const step = 10 * metres
    const grid = new THREE.GridHelper(
      2 * step * Math.ceil(site.size / step),
      2 * Math.ceil(site.size / step),
      '#c9c3b4',
      '#e2dccd',
    ).rotateX(Math.PI / 2)
    grid.position.z = Math.min(0, ...items.filter((i) => i.kind === 'wall').map((i) => i.data.base ?? 0)) - 0.02
    this.scene.add(grid)
  }

  draw() {
    this.due ||= requestAnimationFrame(() => {
      this.due = 0
      this.renderer.render(this.scene, this.view)
    })
  }

  /** The first of these things under the pointer. */
  under(e: PointerEvent, what: THREE.Object3D[]) {
    const r = this.el.getBoundingClientRect()
    const at = new THREE.Vector2(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2)
    this.ray.setFromCamera(at, this.view)
    return this.ray.intersectObjects(what, false)[0]
  }

  dispose() {
    this.resized.disconnect()
    cancelAnimationFrame(this.due)
    this.controls.dispose()
    this.scene.traverse((o) => {
      if (o instanceof THREE.Mesh || o instanceof THREE.LineSegments) {
        ;(o.geometry as THREE.BufferGeometry).dispose()
        for (const m of [o.material].flat() as THREE.Material[]) m.dispose()
      }
    })
    this.renderer.dispose()
    this.renderer.domElement.remove()
  }

  private fit() {
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    this.renderer.setSize(this.el.clientWidth, this.el.clientHeight)
    this.view.aspect = this.el.clientWidth / Math.max(this.el.clientHeight, 1)
    this.view.updateProjectionMatrix()
    this.draw()
  }
}
