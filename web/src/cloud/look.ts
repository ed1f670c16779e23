/** How the clouds are shown; what a saved view keeps. */
export type Colouring = 'scan' | 'intensity' | 'colour' | 'height' | 'incidence' | 'grade' | 'residual' | 'error'

/** A box that points outside of are not shown: middle, half extents, turn about the vertical. */
export interface Clip {
  middle: [number, number, number]
  half: [number, number, number]
  turn: number
  /** Cuts away what hangs above, as a first look does. */
  roof?: boolean
}

/** How one looks: freely, or straight down or along at a slice. */
export type Projection = 'free' | 'plan' | 'section'

export interface Look {
  colouring: Colouring
  /** Times the adaptive size of points. */
  size: number
  dark: boolean
  /** Shaded by depth, so that edges and steps are seen. */
  shaded?: boolean
  clip: Clip | null
  projection: Projection
}

export interface Camera {
  position: [number, number, number]
  target: [number, number, number]
  zoom: number
}

export const FIRST: Look = { colouring: 'scan', size: 1, dark: false, shaded: true, clip: null, projection: 'free' }

export const COLOURINGS: { value: Colouring; label: string; says: string }[] = [
  { value: 'scan', label: 'scan', says: 'a colour for each scan' },
  { value: 'intensity', label: 'intensity', says: 'bright returns light, weak ones dark' },
  { value: 'colour', label: 'colour', says: 'colours that came with the scans; grey without' },
  { value: 'height', label: 'height', says: 'low teal, high red' },
  { value: 'incidence', label: 'incidence', says: 'teal met squarely, red at a graze, grey unknown' },
  {
    value: 'grade',
    label: 'grade',
    says: 'weakest tie of each scan: teal sound, ochre doubtful ?, red failed ×, grey not judged',
  },
  {
    value: 'residual',
    label: 'residual',
    says: 'largest target residual of each scan: teal small, red where the outlier test (0.1 % risk) would call it wrong, grey without',
  },
  {
    value: 'error',
    label: 'error',
    says: '95 % error of the pose at each point: teal far below the limit, red at it or beyond',
  },
]

/** Points drawn at most on this device. */
export function budget(gl: WebGLRenderingContext | WebGL2RenderingContext): number {
  // without a graphics card every point is drawn by the processor
  const info = gl.getExtension('WEBGL_debug_renderer_info')
  const name = info ? String(gl.getParameter(info.UNMASKED_RENDERER_WEBGL)) : ''
  if (/swiftshader|llvmpipe|software/i.test(name)) return 1_000_000
  const memory = (navigator as { deviceMemory?: number }).deviceMemory ?? 4
  const small = window.matchMedia('(max-width: 900px)').matches
  if (small || memory < 4) return 1_000_000
  return memory < 8 ? 1_800_000 : 3_000_000
}
