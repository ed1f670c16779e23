import * as THREE from 'three'

/** Eye-dome lighting (Boucheny 2009): a point is darker the deeper it lies behind its neighbours on the screen, so that
 * edges and steps are seen without normals. Points are drawn aside with their depth, shaded onto the screen, and the
 * marks go over them where they are not hidden. */

const VERTEX = 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }'
const FRAGMENT = /* glsl */ `
uniform sampler2D tint, deep;
uniform vec2 pixel, range;
uniform vec3 paper;
uniform float flat_;
varying vec2 at;
float far(float d) {
  if (flat_ > 0.5) return d * (range.y - range.x);
  float z = d * 2.0 - 1.0;
  return 2.0 * range.x * range.y / (range.y + range.x - z * (range.y - range.x));
}
void main() {
  float d = texture2D(deep, at).r;
  gl_FragDepth = d;
  if (d >= 1.0) { gl_FragColor = vec4(paper, 1.0); return; }
  float own = log2(far(d));
  float sum = 0.0;
  for (int k = 0; k < 8; k++) {
    float t = float(k) * 0.7853982;
    float n = texture2D(deep, at + pixel * 1.6 * vec2(cos(t), sin(t))).r;
    // nothing there casts no shadow
    if (n < 1.0) sum += max(0.0, own - log2(far(n)));
  }
  float shade = exp(-42.0 * min(sum / 8.0, 0.05) * 0.6);
  gl_FragColor = vec4(texture2D(tint, at).rgb * shade, 1.0);
}`

export class Depth {
  private target: THREE.WebGLRenderTarget | null = null
  private material = new THREE.ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    depthFunc: THREE.AlwaysDepth,
    uniforms: {
      tint: { value: null },
      deep: { value: null },
      pixel: { value: new THREE.Vector2() },
      range: { value: new THREE.Vector2() },
      paper: { value: new THREE.Color() },
      flat_: { value: 0 },
    },
  })
  private quad = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material)
  private page = new THREE.Scene()
  private eye = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1)
  private size = new THREE.Vector2()

  constructor() {
    this.quad.frustumCulled = false
    this.page.add(this.quad)
  }

  render(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    camera: THREE.PerspectiveCamera | THREE.OrthographicCamera,
    points: THREE.Object3D,
    marks: THREE.Object3D,
  ) {
    renderer.getDrawingBufferSize(this.size)
    const { x: w, y: h } = this.size
    if (this.target?.width !== w || this.target.height !== h) {
      this.dispose()
      this.target = new THREE.WebGLRenderTarget(w, h, {
        depthTexture: new THREE.DepthTexture(w, h, THREE.FloatType),
        minFilter: THREE.NearestFilter,
        magFilter: THREE.NearestFilter,
      })
    }
    const paper = scene.background as THREE.Color
    scene.background = null
    marks.visible = false
    renderer.setRenderTarget(this.target)
    renderer.clear()
    renderer.render(scene, camera)
    const u = this.material.uniforms
    u.tint!.value = this.target.texture
    u.deep!.value = this.target.depthTexture
    ;(u.pixel!.value as THREE.Vector2).set(1 / w, 1 / h)
    ;(u.range!.value as THREE.Vector2).set(camera.near, camera.far)
    // as it is written, without a conversion between colour spaces
    ;(u.paper!.value as THREE.Color).copy(paper).convertLinearToSRGB()
    u.flat_!.value = camera instanceof THREE.OrthographicCamera ? 1 : 0
    renderer.setRenderTarget(null)
    renderer.render(this.page, this.eye)
    const shown = points.visible
    points.visible = false
    marks.visible = true
    renderer.autoClear = false
    renderer.render(scene, camera)
    renderer.autoClear = true
    points.visible = shown
    scene.background = paper
  }

  dispose() {
    this.target?.depthTexture?.dispose()
    this.target?.dispose()
    this.target = null
  }
}
