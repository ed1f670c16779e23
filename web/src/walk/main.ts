import * as THREE from 'three'
import { cloudView } from './cloud'
import { walk as words } from '../words/en/walk'
import { bearing, between, onScreen, type Station, type Walk } from './data'
import { panoramaView } from './panorama'
import { planView } from './plan'
import './walk.css'

/** What the scripts beside the page hand over: they are scripts, so that a page opened from a folder may read them. */
interface Given {
  WALK?: Walk
  WALK_CLOUD?: string
  WALK_PICTURES?: Record<string, string>
}
const given = window as unknown as Given

const at = <T extends Element>(id: string) => document.getElementById(id) as unknown as T

function load(file: string): Promise<void> {
  return new Promise((done, failed) => {
    const script = document.createElement('script')
    script.src = file
    script.onload = () => done()
    script.onerror = () => failed(new Error(words.cannotRead(file)))
    document.head.append(script)
  })
}

async function picture(file: string): Promise<HTMLImageElement> {
  if (!given.WALK_PICTURES?.[file]) await load(file)
  const image = new Image()
  image.src = given.WALK_PICTURES?.[file] ?? ''
  await image.decode()
  return image
}

function facts(walk: Walk, k: number) {
  const s = walk.stations[k]
  if (!s) return
  const [code, metres] = walk.unit
  const u = (v: number, digits = 3) => (v / metres).toFixed(digits)
  at<HTMLElement>('name').textContent = s.name
  const error = s.error95 ? words.error(u(s.error95[0], 4), u(s.error95[1], 4), code) : words.errorNotKnown
  const [e, n, h] = s.grid.map((c) => u(c))
  at<HTMLElement>('facts').textContent = words.coordinates(e ?? '', n ?? '', h ?? '', code) + error
  const here = walk.notes.filter((n) => n[2] === s.name || n[2].startsWith(`${s.name} `))
  const list = at<HTMLElement>('notes')
  list.replaceChildren(
    ...(here.length > 0 ? here : walk.notes).map((n) => {
      const row = document.createElement('li')
      row.textContent = `${n[2] === '–' ? '' : `${n[2]}: `}${n[3]} (${n[1]}, ${n[0]})`
      return row
    }),
  )
  at<HTMLElement>('notes-of').textContent = here.length > 0 ? words.notesAt(s.name) : words.notesFromSite
}

interface View {
  /** The station that one stands at. */
  here: number
  inCloud: boolean
  look: { yaw: number; pitch: number; fov: number }
}

/** Buttons for the stations that can be seen from here. */
function linksOf(walk: Walk, s: Station, go: (k: number) => void): HTMLButtonElement[] {
  const [code, metres] = walk.unit
  return s.links.map((to) => {
    const b = document.createElement('button')
    const other = walk.stations[to]
    const d = other ? Math.hypot(...between(s, other)) : 0
    b.textContent = `${other?.name ?? ''} · ${(d / metres).toFixed(1)} ${code}`
    b.dataset.to = String(to)
    b.addEventListener('click', () => go(to))
    return b
  })
}

function placeLinks(walk: Walk, v: View, links: HTMLElement, [w, h]: [number, number]) {
  const from = walk.stations[v.here]
  for (const b of links.children as HTMLCollectionOf<HTMLButtonElement>) {
    const to = walk.stations[Number(b.dataset.to)]
    const p = !v.inCloud && to && from ? onScreen(between(from, to), v.look, w, h) : null
    b.hidden = !p || p[0] < 0 || p[0] > w || p[1] < 0 || p[1] > h
    if (p) b.style.transform = `translate(-50%, -50%) translate(${p[0]}px, ${p[1]}px)`
  }
}

/** Does something that takes a moment, and says what while it lasts and what went wrong. */
async function saying(words: string, work: () => Promise<void>): Promise<boolean> {
  const said = at<HTMLElement>('said')
  said.textContent = words
  try {
    await work()
    said.textContent = ''
    return true
  } catch (e) {
    said.textContent = e instanceof Error ? e.message : String(e)
    return false
  }
}

function start(walk: Walk) {
  head(walk)
  const canvas = at<HTMLCanvasElement>('view')
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: true })
  const panorama = panoramaView()
  const v: View = { here: 0, inCloud: false, look: { yaw: 0, pitch: 0, fov: 1.3 } }
  let cloud: ReturnType<typeof cloudView> | null = null
  let waiting = false
  const links = at<HTMLElement>('links')

  function draw() {
    waiting = false
    const { clientWidth: w, clientHeight: h } = canvas
    renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    renderer.setSize(w, h, false)
    if (v.inCloud && cloud) cloud.draw(renderer, w / h)
    else panorama.draw(renderer, v.look, w / h)
    placeLinks(walk, v, links, [w, h])
    plan(v.here, v.look)
    const degrees = bearing([Math.sin(v.look.yaw), Math.cos(v.look.yaw)]).toFixed(0)
    at<HTMLElement>('bearing').textContent = v.inCloud ? '' : words.looking(degrees)
  }
  const redraw = () => {
    if (!waiting) requestAnimationFrame(draw)
    waiting = true
  }

  async function go(k: number) {
    const s = walk.stations[k]
    if (!s) return
    if (!(await saying(words.opening(s.name), async () => panorama.show(s, await picture(s.file))))) return
    v.here = k
    document.body.dataset.station = s.name
    links.replaceChildren(...linksOf(walk, s, (to) => void go(to)))
    cloud?.lookAt(s, v.look.yaw)
    facts(walk, k)
    redraw()
  }
  const plan = planView(walk, at<SVGSVGElement>('plan'), (k) => void go(k))

  async function show(which: boolean) {
    const open = async () => {
      await load('cloud.js')
      cloud = cloudView(walk, given.WALK_CLOUD ?? '', canvas, redraw)
      const s = walk.stations[v.here]
      if (s) cloud.lookAt(s, v.look.yaw)
    }
    if (which && !cloud && !(await saying(words.openingTheCloud, open))) return
    v.inCloud = which
    cloud?.on(which)
    at<HTMLButtonElement>('to-picture').setAttribute('aria-pressed', String(!which))
    at<HTMLButtonElement>('to-cloud').setAttribute('aria-pressed', String(which))
    redraw()
  }
  at<HTMLButtonElement>('to-picture').addEventListener('click', () => void show(false))
  at<HTMLButtonElement>('to-cloud').addEventListener('click', () => void show(true))

  turning(canvas, v.look, () => !v.inCloud, redraw)
  new ResizeObserver(redraw).observe(canvas)
  void go(0)
}

/** What the page is of, and what was asked for. */
function head(walk: Walk) {
  document.title = words.title(walk.job)
  at<HTMLElement>('job').textContent = walk.job
  at<HTMLElement>('about').textContent = words.about(
    walk.revision,
    walk.reference,
    walk.heights,
    walk.unit[0],
    walk.simulated,
  )
  at<HTMLElement>('verdict').replaceChildren(
    ...walk.verdict.map(([what, word]) => {
      const row = document.createElement('li')
      row.textContent = `${what}: ${word}`
      row.dataset.verdict = word
      return row
    }),
  )
}

/** Turns the look by dragging, wheel and arrow keys. */
function turning(
  canvas: HTMLCanvasElement,
  look: { yaw: number; pitch: number; fov: number },
  active: () => boolean,
  redraw: () => void,
) {
  const turn = (yaw: number, pitch: number) => {
    look.yaw += yaw
    look.pitch = Math.max(-1.5, Math.min(1.5, look.pitch + pitch))
    redraw()
  }
  canvas.addEventListener('pointerdown', (e) => canvas.setPointerCapture(e.pointerId))
  canvas.addEventListener('pointermove', (e) => {
    if (!active() || e.buttons === 0) return
    const scale = look.fov / canvas.clientHeight
    turn(-e.movementX * scale, e.movementY * scale)
  })
  canvas.addEventListener(
    'wheel',
    (e) => {
      if (!active()) return
      e.preventDefault()
      look.fov = Math.max(0.2, Math.min(2, look.fov * Math.exp(e.deltaY * 0.001)))
      redraw()
    },
    { passive: false },
  )
  canvas.addEventListener('keydown', (e) => {
    const step = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[e.key]
    if (!step || !active()) return
    e.preventDefault()
    turn(step[0] ?? 0, step[1] ?? 0)
  })
}

if (given.WALK) start(given.WALK)
else at<HTMLElement>('said').textContent = words.cannotRead('data.js')
