import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import type { Station, Walk } from './data'

/** Bytes of a point: three coordinates as 32-bit numbers, three colours. */
const POINT = 15

function points(data: string): THREE.Points {
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0))
  const view = new DataView(bytes.buffer)
  const n = Math.floor(bytes.length / POINT)
  const positions = new Float32Array(3 * n)
  const colours = new Uint8Array(3 * n)
  for (let k = 0; k < n; k++)
    for (let a = 0; a < 3; a++) {
      positions[3 * k + a] = view.getFloat32(POINT * k + 4 * a, true)
      colours[3 * k + a] = bytes[POINT * k + 12 + a] ?? 0
    }
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3))
  geometry.setAttribute('color', new THREE.BufferAttribute(colours, 3, true))
  return new THREE.Points(geometry, new THREE.PointsMaterial({ size: 0.06, vertexColors: true }))
}

/** The cloud of all scans, thinned, with the stations in it. */
export function cloudView(walk: Walk, data: string, element: HTMLElement, redraw: () => void) {
  const scene = new THREE.Scene()
  scene.background = new THREE.Color('#16202b')
  scene.add(points(data))
  const camera = new THREE.PerspectiveCamera(55, 1, 0.1, 2000)
  camera.up.set(0, 0, 1)
  const controls = new OrbitControls(camera, element)
  controls.addEventListener('change', redraw)
  const marks = new THREE.Group()
  for (const s of walk.stations) {
    const mark = new THREE.Mesh(new THREE.SphereGeometry(0.18), new THREE.MeshBasicMaterial({ color: '#e8a33d' }))
    mark.position.set(...s.at)
    marks.add(mark)
  }
  scene.add(marks)
  return {
    /** From above and behind, as one would walk up to it. */
    lookAt(s: Station, yaw: number) {
      const [x, y, z] = s.at
      controls.target.set(x, y, z)
      camera.position.set(x - 9 * Math.sin(yaw), y - 9 * Math.cos(yaw), z + 6)
      controls.update()
    },
    on(is: boolean) {
      controls.enabled = is
    },
    draw(renderer: THREE.WebGLRenderer, aspect: number) {
      camera.aspect = aspect
      camera.updateProjectionMatrix()
      renderer.render(scene, camera)
    },
  }
}
