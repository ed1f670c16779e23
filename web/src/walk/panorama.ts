import * as THREE from 'three'
import type { Station } from './data'

// eslint-disable-next-line no-restricted-syntax -- programs of the graphics card, no words
const VERTEX = `
  varying vec2 at;
  void main() { at = position.xy; gl_Position = vec4(position.xy, 0.0, 1.0); }`
// eslint-disable-next-line no-restricted-syntax -- the same
const FRAGMENT = `
  varying vec2 at;
  uniform sampler2D picture;
  uniform mat3 toScan;
  uniform vec3 look; // yaw, pitch, tangent of half the field of view
  uniform float aspect;
  void main() {
    vec3 ray = vec3(at.x * look.z * aspect, 1.0, at.y * look.z);
    float cp = cos(look.y), sp = sin(look.y);
    ray = vec3(ray.x, ray.y * cp - ray.z * sp, ray.y * sp + ray.z * cp);
    float c = cos(look.x), s = sin(look.x);
    ray = vec3(ray.x * c + ray.y * s, ray.y * c - ray.x * s, ray.z);
    vec3 d = normalize(toScan * ray);
    // columns are azimuths anticlockwise from -180 degrees, rows elevations from above
    gl_FragColor = texture2D(picture, vec2(atan(d.y, d.x) / 6.2831853 + 0.5, asin(clamp(d.z, -1.0, 1.0)) / 3.1415927 + 0.5));
  }`

/** The picture all round of a station, looked at in one direction. */
export function panoramaView() {
  const uniforms = {
    picture: { value: null as THREE.Texture | null },
    toScan: { value: new THREE.Matrix3() },
    look: { value: new THREE.Vector3(0, 0, 1) },
    aspect: { value: 1 },
  }
  const scene = new THREE.Scene()
  const sheet = new THREE.Mesh(
    new THREE.PlaneGeometry(2, 2),
    new THREE.ShaderMaterial({ uniforms, vertexShader: VERTEX, fragmentShader: FRAGMENT, depthTest: false }),
  )
  sheet.frustumCulled = false
  scene.add(sheet)
  const camera = new THREE.Camera()
  return {
    show(station: Station, image: HTMLImageElement) {
      uniforms.picture.value?.dispose()
      const texture = new THREE.Texture(image)
      texture.wrapS = THREE.RepeatWrapping
      texture.generateMipmaps = false
      texture.minFilter = THREE.LinearFilter
      texture.needsUpdate = true
      uniforms.picture.value = texture
      // row by row, and the way back of a rotation is its transpose
      uniforms.toScan.value.fromArray(station.rotation)
    },
    draw(renderer: THREE.WebGLRenderer, look: { yaw: number; pitch: number; fov: number }, aspect: number) {
      uniforms.look.value.set(look.yaw, look.pitch, Math.tan(look.fov / 2))
      uniforms.aspect.value = aspect
      renderer.render(scene, camera)
    },
  }
}
