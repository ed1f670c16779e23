import { cloud as words } from '../words'
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
  /** What is taken out of the clouds: as it is, marked (without a word), or hidden. */
  outs?: 'shown' | 'marked' | 'hidden'
}

export interface Camera {
  position: [number, number, number]
  target: [number, number, number]
  zoom: number
}

export const FIRST: Look = { colouring: 'scan', size: 1, dark: false, shaded: true, clip: null, projection: 'free' }

export const COLOURINGS: { value: Colouring; label: string; says: string }[] = [
  { value: 'scan', label: words.scan, says: words.aColourForEach },
  { value: 'intensity', label: words.intensity, says: words.brightReturnsLightWeak },
  { value: 'colour', label: words.colour, says: words.coloursThatCameWith },
  { value: 'height', label: words.height, says: words.lowTealHighRed },
  { value: 'incidence', label: words.incidence, says: words.tealMetSquarelyRed },
  {
    value: 'grade',
    label: words.grade,
    says: words.weakestTieOfEach,
  },
  {
    value: 'residual',
    label: words.residual,
    says: words.largestTargetResidualOf,
  },
  {
    value: 'error',
    label: words.error,
    says: words.n95ErrorOfThe,
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
