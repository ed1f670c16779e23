import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { Depth } from './depth'
import { budget, type Camera, type Projection } from './look'
import { thin } from './labels'
import { Scans } from './scans'

const UP = new THREE.Vector3(0, 0, 1)

/** The scene, its camera and what moves it. Draws only when something changed. */
export class World {
  readonly scene = new THREE.Scene()
  readonly renderer: THREE.WebGLRenderer
  readonly scans: Scans
  readonly labels = document.createElement('div')
  readonly marks = new THREE.Group()
  /** Solids and features. */
  readonly drawn3d = new THREE.Group()
  /** What lies over the clouds and is not shaded by their depth. */
  private over = new THREE.Group()
  private depth = new Depth()
  /** Points are shaded by depth. */
  shaded = true
  /** The graphics card was lost, or came back. */
  lost: (gone: boolean) => void = () => undefined
  /** Called after each drawn frame. */
  drawn: () => void = () => undefined
  private free = new THREE.PerspectiveCamera(50, 1, 0.1, 5000)
  private flat = new THREE.OrthographicCamera(-1, 1, 1, -1, -2000, 4000)
  camera: THREE.PerspectiveCamera | THREE.OrthographicCamera = this.free
  controls: OrbitControls
  private due = false
  private stale = false
  private last = 0
  private took = 30
  private resize: ResizeObserver
  private sphere: THREE.Mesh<THREE.SphereGeometry, THREE.ShaderMaterial> | null = null
  private before: Camera | null = null
  private gone = false

  /** @throws when the browser has no WebGL */
  constructor(readonly el: HTMLElement) {
    this.renderer = new THREE.WebGLRenderer({ antialias: false, preserveDrawingBuffer: navigator.webdriver })
    this.scans = new Scans(() => this.draw(), budget(this.renderer.getContext()))
    this.free.up.copy(UP)
    this.flat.up.copy(UP)
    this.free.position.set(-24, -42, 34)
    el.append(this.renderer.domElement, this.labels)
    this.renderer.domElement.addEventListener('webglcontextlost', (e) => {
      e.preventDefault()
      this.lost(true)
    })
    this.renderer.domElement.addEventListener('webglcontextrestored', () => this.lost(false))
    this.controls = this.steer()
    this.over.add(this.drawn3d, this.marks)
    this.scene.add(this.scans.group, this.over)
    this.resize = new ResizeObserver(() => this.fit())
    this.resize.observe(el)
    this.fit()
  }

  private steer(): OrbitControls {
    const c = new OrbitControls(this.camera, this.renderer.domElement)
    c.enableDamping = false
    c.zoomToCursor = true
    c.addEventListener('change', () => this.draw())
    return c
  }

  private fit() {
    const { clientWidth: w, clientHeight: h } = this.el
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    this.renderer.setSize(w, h)
    this.free.aspect = w / Math.max(h, 1)
    const half = (this.flat.top - this.flat.bottom) / 2
    this.flat.left = -half * this.free.aspect
    this.flat.right = half * this.free.aspect
    this.free.updateProjectionMatrix()
    this.flat.updateProjectionMatrix()
    this.scans.use(this.camera, this.renderer)
    // a canvas of another size is empty: at once, whatever else is loading
    this.last = 0
    this.draw()
  }

  /** Something changed: draws with the next frame. While tiles load, loading goes before drawing. */
  draw() {
    this.stale = true
    if (!this.due && !this.gone) {
      this.due = true
      requestAnimationFrame(() => this.tick())
    }
  }

  private tick() {
    this.due = false
    if (this.gone) return
    this.camera.updateMatrixWorld()
    const u = this.scans.uniforms
    const h = this.renderer.domElement.height
    const flat = this.camera === this.flat
    u.flat.value = flat ? 1 : 0
    u.pixels.value = flat
      ? (h * this.flat.zoom) / (this.flat.top - this.flat.bottom)
      : h / (2 * Math.tan((this.free.fov * Math.PI) / 360))
    const asked = this.stale
    this.stale = false
    const more = !this.sphere && this.scans.update()
    const now = performance.now()
    if (asked && (!more || now - this.last > 2.5 * this.took)) {
      if (this.shaded && !this.sphere)
        this.depth.render(this.renderer, this.scene, this.camera, this.scans.group, this.over)
      else this.renderer.render(this.scene, this.camera)
      this.place()
      this.last = performance.now()
      // on a machine without a graphics card the drawing itself takes long
      this.took = Math.max(this.last - now, 30)
    } else this.stale ||= asked
    this.drawn()
    if ((more || this.stale) && !this.due) {
      this.due = true
      // loading does not wait for the next picture
      setTimeout(() => this.tick(), 20)
    }
  }

  /** Puts the names where their things are. */
  private place() {
    const v = new THREE.Vector3()
    const { clientWidth: w, clientHeight: h } = this.el
    const places = ([...this.labels.children] as HTMLElement[]).map((lab) => {
      v.fromArray((lab.dataset.at ?? '').split(',').map(Number)).project(this.camera)
      const seen = Math.abs(v.z) < 1 && Math.abs(v.x) < 1.1 && Math.abs(v.y) < 1.1
      const [x, y] = [((v.x + 1) / 2) * w + 6, ((1 - v.y) / 2) * h - 8]
      return {
        lab,
        x,
        y,
        near: v.z,
        seen,
        width: (lab.textContent?.length ?? 1) * 6.6 + 6,
        rank: Number(lab.dataset.rank ?? 2),
      }
    })
    // where names would pile up, the more important and the nearer stay
    const shown = thin(places.filter((p) => p.seen))
    for (const p of places) {
      p.lab.style.display = shown.has(p) ? '' : 'none'
      p.lab.style.transform = `translate(${p.x}px, ${p.y}px)`
    }
  }

  /** A name at a place; of rank 0 what is picked, 1 stations, 2 everything else. */
  label(text: string, at: THREE.Vector3, tone = '', rank = 2) {
    const lab = document.createElement('div')
    lab.className = `lab ${tone}`
    lab.dataset.at = at.toArray().join()
    lab.dataset.rank = String(rank)
    lab.textContent = text
    this.labels.appendChild(lab)
    return lab
  }

  /** The ray through a place of the page, and what still counts as hit: an angle, or a distance where the view is flat. */
  ray(x: number, y: number): { ray: THREE.Ray; angle: number; flat: number | null } {
    const r = this.renderer.domElement.getBoundingClientRect()
    const at = new THREE.Vector2(((x - r.left) / r.width) * 2 - 1, 1 - ((y - r.top) / r.height) * 2)
    const caster = new THREE.Raycaster()
    caster.setFromCamera(at, this.camera)
    if (this.camera === this.flat) {
      caster.ray.origin.addScaledVector(caster.ray.direction, -1000)
      return { ray: caster.ray, angle: 0, flat: (6 * (this.flat.top - this.flat.bottom)) / this.flat.zoom / r.height }
    }
    return { ray: caster.ray, angle: (6 * 2 * Math.tan((this.free.fov * Math.PI) / 360)) / r.height, flat: null }
  }

  /** Free, straight down, or along a bearing at a slice about `middle`, `span` metres across. */
  project(to: Projection, middle?: THREE.Vector3, span = 40, turn = 0) {
    const target = middle ?? this.controls.target.clone()
    if (to === 'free') {
      if (this.camera === this.free) return
      this.camera = this.free
      this.free.position.copy(target).add(new THREE.Vector3(-0.5, -0.8, 0.7).multiplyScalar(span))
    } else {
      this.camera = this.flat
      // the span is what must be seen across, whichever way the page is longer
      const half = span / 2 / Math.min(this.free.aspect, 1)
      Object.assign(this.flat, { top: half, bottom: -half, zoom: 1 })
      // looking down, the top of the page is north
      const from =
        to === 'plan'
          ? new THREE.Vector3(0, -1e-4, 500)
          : new THREE.Vector3(Math.sin(turn), -Math.cos(turn), 0).multiplyScalar(500)
      this.flat.position.copy(target).add(from)
    }
    this.controls.dispose()
    this.controls = this.steer()
    this.controls.target.copy(target)
    this.controls.enableRotate = to === 'free'
    this.controls.update()
    this.fit()
  }

  lookAt(at: THREE.Vector3, distance: number) {
    const back = this.camera.position.clone().sub(this.controls.target).normalize().multiplyScalar(distance)
    this.controls.target.copy(at)
    this.camera.position.copy(at).add(back)
    this.controls.update()
    this.draw()
  }

  /** What is turned about, without moving the eye. */
  pivot(at: THREE.Vector3) {
    this.controls.target.copy(at)
    this.controls.update()
    this.draw()
  }

  /** Steps by keys: turns, moves, and goes nearer. */
  step(turn: number, tilt: number, along: number, up: number, nearer: number) {
    const from = this.camera.position.clone().sub(this.controls.target)
    const right = new THREE.Vector3().crossVectors(this.camera.getWorldDirection(new THREE.Vector3()), UP).normalize()
    const move = right.multiplyScalar(along * from.length()).addScaledVector(UP, up * from.length())
    from.applyAxisAngle(UP, turn)
    const side = new THREE.Vector3().crossVectors(from, UP).normalize()
    const tilted = from.clone().applyAxisAngle(side, tilt)
    // not over the top
    if (tilted.angleTo(UP) > 0.05 && tilted.angleTo(UP) < Math.PI - 0.05) from.copy(tilted)
    if (this.camera === this.flat) {
      this.flat.zoom /= nearer
      this.flat.updateProjectionMatrix()
    } else from.multiplyScalar(nearer)
    this.controls.target.add(move)
    this.camera.position.copy(this.controls.target).add(from)
    this.controls.update()
    this.draw()
  }

  /** Width over height of what is seen. */
  get aspect(): number {
    return Math.max(this.el.clientWidth, 1) / Math.max(this.el.clientHeight, 1)
  }

  get view(): Camera {
    return { position: this.camera.position.toArray(), target: this.controls.target.toArray(), zoom: this.camera.zoom }
  }

  set view(v: Camera) {
    this.camera.position.set(...v.position)
    this.controls.target.set(...v.target)
    this.camera.zoom = v.zoom
    this.camera.updateProjectionMatrix()
    this.controls.update()
    this.draw()
  }

  /** Stands at a scanner and looks at its panorama. */
  enter(url: string, pose: THREE.Matrix4) {
    this.leave()
    this.before = this.view
    if (this.camera !== this.free) this.project('free')
    const at = new THREE.Vector3().setFromMatrixPosition(pose)
    const picture = new THREE.TextureLoader().load(url, () => this.draw())
    picture.generateMipmaps = false
    picture.minFilter = THREE.LinearFilter
    this.sphere = new THREE.Mesh(
      new THREE.SphereGeometry(60, 64, 32),
      new THREE.ShaderMaterial({
        side: THREE.BackSide,
        depthWrite: false,
        uniforms: { picture: { value: picture } },
        vertexShader:
          'varying vec3 d; void main() { d = position; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }',
        fragmentShader:
          'uniform sampler2D picture; varying vec3 d; const float PI = 3.14159265; void main() { float az = atan(d.y, d.x); float el = asin(d.z / length(d)); gl_FragColor = vec4(texture2D(picture, vec2((az + PI) / (2.0 * PI), 0.5 + el / PI)).rgb, 1.0); }',
      }),
    )
    this.sphere.matrixAutoUpdate = false
    this.sphere.matrix.copy(pose)
    this.sphere.renderOrder = -1
    this.scans.group.visible = false
    this.scene.add(this.sphere)
    // turning about a target a hand away is looking around
    const ahead = this.controls.target.clone().sub(at).setZ(0)
    if (ahead.lengthSq() < 1e-6) ahead.set(0, 1, 0)
    this.camera.position.copy(at)
    this.controls.target.copy(at).addScaledVector(ahead.normalize(), 0.05)
    Object.assign(this.controls, { enablePan: false, enableZoom: false, rotateSpeed: -0.35 })
    this.controls.update()
    this.draw()
  }

  leave() {
    if (!this.sphere) return
    this.scene.remove(this.sphere)
    this.sphere.geometry.dispose()
    ;(this.sphere.material.uniforms.picture!.value as THREE.Texture).dispose()
    this.sphere.material.dispose()
    this.sphere = null
    this.scans.group.visible = true
    Object.assign(this.controls, { enablePan: true, enableZoom: true, rotateSpeed: 1 })
    if (this.before) this.view = this.before
    this.before = null
  }

  dispose() {
    this.gone = true
    this.leave()
    this.resize.disconnect()
    this.controls.dispose()
    this.scans.drop()
    this.depth.dispose()
    this.renderer.dispose()
    this.el.replaceChildren()
  }
}
