import type { Shown } from './settings'

/** Every colour of the page, once: for its style sheet, for the widgets and for what is drawn. */
export interface Palette {
  paper: string
  sheet: string
  ink: string
  faint: string
  /** Hairlines that only order what is there. */
  rule: string
  hair: string
  /** Borders of what can be used. */
  edge: string
  accent: string
  ochre: string
  red: string
  wash: string
  pick: string
  caution: string
  /** The index of sheets. */
  index: string
  'index-ink': string
  'index-faint': string
  'index-on': string
  'index-mark': string
  'index-attention': string
  'index-done': string
  /** Text on a bar of accent, ink or red. */
  'on-fill': string
  halo: string
}

const light: Palette = {
  paper: '#faf7f0',
  sheet: '#fffdf8',
  ink: '#22303c',
  faint: '#58646e',
  rule: '#d9d3c5',
  hair: '#e9e4d8',
  edge: '#847d6d',
  accent: '#1d6b74',
  ochre: '#80590c',
  red: '#93302b',
  wash: '#eef3f1',
  pick: '#dcebea',
  caution: '#fdf6e4',
  index: '#22303c',
  'index-ink': '#f3f5f6',
  'index-faint': '#c4ced6',
  'index-on': '#31424f',
  'index-mark': '#7fc8c4',
  'index-attention': '#ffd58a',
  'index-done': '#93d2cd',
  'on-fill': '#ffffff',
  halo: '#a97c17',
}

const dark: Palette = {
  paper: '#14191e',
  sheet: '#1a2128',
  ink: '#e6ebee',
  faint: '#a6b2bb',
  rule: '#39444d',
  hair: '#29323a',
  edge: '#78858f',
  accent: '#6fc5be',
  ochre: '#e2b55f',
  red: '#f0938b',
  wash: '#20292f',
  pick: '#213b3b',
  caution: '#2a2417',
  index: '#0d1216',
  'index-ink': '#eef2f4',
  'index-faint': '#aebac3',
  'index-on': '#24313a',
  'index-mark': '#7fc8c4',
  'index-attention': '#ffd58a',
  'index-done': '#93d2cd',
  'on-fill': '#10161a',
  halo: '#e2b55f',
}

const contrast: Palette = {
  paper: '#ffffff',
  sheet: '#ffffff',
  ink: '#000000',
  faint: '#2f2f2f',
  rule: '#707070',
  hair: '#a0a0a0',
  edge: '#000000',
  accent: '#00474f',
  ochre: '#553900',
  red: '#8a0f0a',
  wash: '#eef4f4',
  pick: '#cfe6e6',
  caution: '#fff3cf',
  index: '#000000',
  'index-ink': '#ffffff',
  'index-faint': '#ededed',
  'index-on': '#3a3a3a',
  'index-mark': '#7ff0e8',
  'index-attention': '#ffd58a',
  'index-done': '#9ff0e8',
  'on-fill': '#ffffff',
  halo: '#553900',
}

export const PALETTES: Record<Shown, Palette> = { light, dark, contrast }

/** Colours of what is drawn on canvases, those of the sheet that is shown. */
export let INK = light.ink
export let ACCENT = light.accent
export let RED = light.red
export let OCHRE = light.ochre
export let PAPER = light.sheet
export let FAINT = light.faint
export let HALO = light.halo

/** Puts a palette on the page. */
export function show(theme: Shown) {
  const p = PALETTES[theme]
  ;[INK, ACCENT, RED, OCHRE, PAPER, FAINT, HALO] = [p.ink, p.accent, p.red, p.ochre, p.sheet, p.faint, p.halo]
  const root = document.documentElement
  root.dataset.theme = theme
  root.style.colorScheme = theme === 'dark' ? 'dark' : 'light'
  for (const [name, colour] of Object.entries(p)) root.style.setProperty(`--${name}`, colour as string)
}

/** Contrast of two colours by WCAG 2. */
export function ratio(a: string, b: string): number {
  const luminance = (hex: string) => {
    const [r = 0, g = 0, blue = 0] = [1, 3, 5].map((i) => {
      const v = Number.parseInt(hex.slice(i, i + 2), 16) / 255
      return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4
    })
    return 0.2126 * r + 0.7152 * g + 0.0722 * blue
  }
  const [x, y] = [luminance(a), luminance(b)]
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05)
}

type Name = keyof Palette
/** What stands on what: text at least 4.5, marks, borders and focus at least 3. */
export const PAIRS: { of: Name; on: Name; least: 4.5 | 3 }[] = [
  ...(['paper', 'sheet', 'wash', 'pick'] as Name[]).flatMap((on) =>
    (['ink', 'faint', 'accent', 'ochre', 'red'] as Name[]).map((of) => ({ of, on, least: 4.5 as const })),
  ),
  { of: 'ink', on: 'caution', least: 4.5 },
  ...(['paper', 'sheet'] as Name[]).flatMap((on) =>
    (['edge', 'halo'] as Name[]).map((of) => ({ of, on, least: 3 as const })),
  ),
  ...(['index-ink', 'index-faint', 'index-attention', 'index-done'] as Name[]).flatMap((of) =>
    (['index', 'index-on'] as Name[]).map((on) => ({ of, on, least: 4.5 as const })),
  ),
  ...(['index', 'index-on'] as Name[]).map((on) => ({ of: 'index-mark' as const, on, least: 3 as const })),
  ...(['accent', 'red', 'ink'] as Name[]).map((on) => ({ of: 'on-fill' as const, on, least: 4.5 as const })),
]
