import * as THREE from 'three'
import type { Schema } from '../api/client'
import type { Colouring } from './look'

type Scan = Schema['CloudScanDto']

/** The colours of scans, one after the other. */
export const HUES = [
  0x1d6b74, 0xa8562a, 0x5b4a8a, 0x5d7a1f, 0x9c3d63, 0x2d5fa3, 0x8a6110, 0x3f8f6a, 0x6b6b6b, 0xb04a3a, 0x2f8fa8,
  0x7a5230,
]
export const GRADES: Record<string, number> = {
  sound: 0x1d8a80,
  doubtful: 0xb98a22,
  failed: 0xa83228,
  not_judged: 0x8f979d,
}
const MODES: Record<Colouring, number> = {
  scan: 0,
  intensity: 1,
  colour: 2,
  height: 3,
  incidence: 4,
  grade: 5,
  error: 6,
  residual: 7,
}
const raw = (hex: number) => new THREE.Color().setHex(hex, THREE.LinearSRGBColorSpace)

/** What all points share; changing a value here changes every tile. */
export function shared() {
  return {
    mode: { value: 0 },
    size: { value: 1 },
    pixels: { value: 800 },
    flat: { value: 0 },
    boxed: { value: 0 },
    box: { value: new THREE.Matrix4() },
    heights: { value: new THREE.Vector2(0, 10) },
    limit: { value: 0.01 },
    outs: { value: 1 },
  }
}
export type Shared = ReturnType<typeof shared>
export const setMode = (s: Shared, c: Colouring) => {
  s.mode.value = MODES[c]
}

/** What the tiles of one scan share. */
export function ofScan(scan: Scan, number: number) {
  const c = scan.covariance.length === 36 ? scan.covariance : null
  const block = (r: number, k: number) =>
    new THREE.Matrix3().set(
      ...(Array.from({ length: 9 }, (_, i) => c?.[(r + Math.floor(i / 3)) * 6 + k + (i % 3)] ?? 0) as [
        number,
        number,
        number,
        number,
        number,
        number,
        number,
        number,
        number,
      ]),
    )
  return {
    hue: { value: raw(HUES[number % HUES.length]!) },
    grade: { value: raw(GRADES[scan.grade] ?? GRADES.not_judged!) },
    scanner: { value: new THREE.Vector3(...(scan.pose.translation as [number, number, number])) },
    known: { value: c ? 1 : 0 },
    strain: { value: scan.residual ?? -1 },
    shift: { value: block(0, 0) },
    mixed: { value: block(0, 3) },
    turn: { value: block(3, 3) },
    on: { value: 1 },
  }
}
export type OfScan = ReturnType<typeof ofScan>

const VERTEX = /* glsl */ `
attribute vec4 _shade;
#ifdef COLOURED
attribute vec4 color;
#endif
uniform float size, pixels, flat_, boxed, spacing, mode, limit, known, strain, on, outs;
uniform mat4 box;
uniform vec2 heights;
uniform vec3 hue, grade, scanner;
uniform mat3 shift, mixed, turn;
varying vec3 tint;
vec3 ramp(float t) {
  vec3 a = vec3(0.10, 0.52, 0.50), b = vec3(0.90, 0.78, 0.45), c = vec3(0.66, 0.19, 0.15);
  return t < 0.5 ? mix(a, b, t * 2.0) : mix(b, c, min(t, 1.0) * 2.0 - 1.0);
}
// 95 % semi-axis of the worst direction: covariance of shift and turn carried to the point
float error(vec3 w) {
  mat3 j = mat3(0.0, -w.z, w.y, w.z, 0.0, -w.x, -w.y, w.x, 0.0);
  mat3 m = mixed * transpose(j);
  mat3 c = shift + m + transpose(m) + j * turn * transpose(j);
  vec3 v = vec3(0.6, 0.55, 0.58);
  for (int i = 0; i < 5; i++) v = normalize(c * v + 1e-20);
  return 2.7955 * sqrt(max(dot(v, c * v), 0.0));
}
void main() {
  vec4 at = modelMatrix * vec4(position, 1.0);
  vec4 p = viewMatrix * at;
  gl_Position = projectionMatrix * p;
  float near = flat_ > 0.5 ? 1.0 : max(-p.z, 0.1);
  gl_PointSize = clamp(1.1 * spacing * pixels / near, 1.2, 6.0) * size;
  if (boxed > 0.5) {
    vec3 q = abs((box * at).xyz);
    if (max(q.x, max(q.y, q.z)) > 1.0) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); gl_PointSize = 0.0; }
  }
  if (on < 0.5) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); gl_PointSize = 0.0; }
  // what is taken out: shown as it is, marked, or hidden
  float taken = floor(_shade.z * 255.0 + 0.5);
  if (taken > 0.5 && outs > 1.5) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); gl_PointSize = 0.0; }
  float l = _shade.x;
  float lit = 0.78 + 0.36 * l;
  vec3 grey = vec3(0.12 + 0.85 * sqrt(l));
  if (mode < 0.5) tint = mix(hue, vec3(0.93, 0.91, 0.86), 0.10 + 0.34 * l);
  else if (mode < 1.5) tint = grey;
  #ifdef COLOURED
  else if (mode < 2.5) tint = color.rgb;
  #else
  else if (mode < 2.5) tint = grey;
  #endif
  else if (mode < 3.5) tint = ramp(clamp((at.z - heights.x) / (heights.y - heights.x), 0.0, 1.0)) * lit;
  else if (mode < 4.5) tint = _shade.y < 0.002 ? vec3(0.6) : ramp(1.0 - (_shade.y * 255.0 - 1.0) / 254.0);
  else if (mode < 5.5) tint = grade * lit;
  else if (mode < 6.5) tint = known < 0.5 ? vec3(0.6) : ramp(error(at.xyz - scanner) / limit) * lit;
  else tint = strain < 0.0 ? vec3(0.6) : ramp(strain) * lit;
  if (taken > 0.5 && outs > 0.5) tint = taken > 2.5 ? vec3(0.80, 0.16, 0.20) : vec3(0.86, 0.55, 0.10);
}`
const FRAGMENT = /* glsl */ `
varying vec3 tint;
void main() { gl_FragColor = vec4(tint, 1.0); }`

/** The material of one tile: shares everything but its own spacing. */
export function material(all: Shared, scan: OfScan, coloured: boolean) {
  const { flat, ...rest } = all
  return new THREE.ShaderMaterial({
    uniforms: { ...rest, flat_: flat, ...scan, spacing: { value: 0.02 } },
    defines: coloured ? { COLOURED: '' } : {},
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
  })
}
