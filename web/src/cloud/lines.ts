import * as THREE from 'three'
import { Line2 } from 'three/examples/jsm/lines/Line2.js'
import { LineGeometry } from 'three/examples/jsm/lines/LineGeometry.js'
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js'

/** Moves what lies on a surface a little towards the eye, so that the points of that surface do not hide it and walls do: half a
 * metre, or as much as far points are large. */
const NEARER = /* glsl */ `
vec3 nearer(vec3 p) {
  float far = length(p);
  return isOrthographic ? p + vec3(0.0, 0.0, 0.5) : p * (1.0 - min(max(0.5, 0.02 * far) / far, 0.4));
}
`
const [ENDS, PLACED] = ['vec4 end = modelViewMatrix * vec4( instanceEnd, 1.0 );', '#include <project_vertex>']

function onTop<M extends THREE.Material>(material: M): M {
  material.onBeforeCompile = (s) => {
    s.vertexShader = s.vertexShader
      .replace('void main() {', `${NEARER}void main() {`)
      .replace(ENDS, `${ENDS} start.xyz = nearer(start.xyz); end.xyz = nearer(end.xyz);`)
      .replace(PLACED, `${PLACED} gl_Position = projectionMatrix * vec4(nearer(mvPosition.xyz), 1.0);`)
  }
  return material
}

const WIDTH = { ink: 2.5, halo: 6 }
const SHOT = { ink: 6, halo: 10 }

/** A line over a cloud, with its corners: ink on a pale halo, as it is read on any colour. Widths in pixels of the page. */
export function lineOver(corners: THREE.Vector3[], ink: number, halo: number): THREE.Object3D[] {
  const line = new LineGeometry()
  if (corners.length > 1) line.setPositions(corners.flatMap((c) => c.toArray()))
  const shots = new THREE.BufferGeometry().setFromPoints(corners)
  return (['halo', 'ink'] as const).flatMap((part, order) => {
    const color = part === 'ink' ? ink : halo
    const of = { color, sizeAttenuation: false, size: SHOT[part] * window.devicePixelRatio }
    const all: THREE.Object3D[] = [new THREE.Points(shots, onTop(new THREE.PointsMaterial(of)))]
    if (corners.length > 1) all.push(new Line2(line, onTop(new LineMaterial({ color, linewidth: WIDTH[part] }))))
    for (const o of all) o.renderOrder = 4 + order
    return all
  })
}
