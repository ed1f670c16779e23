import { useEffect, useRef, useState } from 'react'
import * as THREE from 'three'
import { useLatest } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { plan as words } from '../../words'
import { cellWords, type MapMode, MAPS, type Surface } from '../maps'
import type { Item } from '../usePlan'
import { piecesOf } from './pieces'
import { siteOf } from './site'
import { type Eye, Stage } from './stage'
import { Things } from './things'

/** The site in space: every piece of every surface in the colour of the map, with what stands about. */
export function Cover3d({
  items,
  surfaces,
  mode,
  limit,
  selected,
  onSelect,
}: {
  items: Item[]
  surfaces: Surface[]
  mode: MapMode
  limit: number | null
  selected: string[]
  onSelect: (id: string) => void
}) {
  const box = useRef<HTMLDivElement>(null)
  const [said, say] = useState('')
  const [failed, fail] = useState('')
  const u = useUnits()
  const units = useLatest(u)
  const pick = useLatest(onSelect)
  const highlight = useRef<((ids: string[]) => void) | null>(null)
  const eye = useRef<Eye>(null)
  const shown = mode === 'station' ? 'count' : mode
  useEffect(() => {
    const el = box.current
    if (!el) return
    let renderer: THREE.WebGLRenderer
    try {
      renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: navigator.webdriver })
    } catch {
      fail(words.thisBrowserShowsNo)
      return
    }
    const site = siteOf(items)
    const stage = new Stage(el, renderer, site, eye.current, (e) => (eye.current = e))
    const { cells, pieceAt } = piecesOf(site, surfaces, shown, limit)
    const things = new Things(site, items)
    stage.scene.add(cells, things.group)
    stage.ground(site, items, units.current.metres)
    highlight.current = (ids) => {
      things.highlight(ids)
      stage.draw()
    }
    const stop = pointer(renderer.domElement, {
      click: (e) => {
        const hit = stage.under(e, [...things.pickable, cells])
        if (!hit) return
        pick.current(hit.object === cells ? pieceAt(hit.faceIndex)![0].item : (hit.object.userData.id as string))
      },
      hover: (e) => {
        const hit = stage.under(e, [cells])
        const piece = hit && pieceAt(hit.faceIndex)
        say(piece ? `${piece[0].name}: ${cellWords(piece[1], units.current)}` : '')
      },
    })
    return () => {
      stop()
      highlight.current = null
      stage.dispose()
    }
    // what is picked is tinted; the scene itself stays
  }, [items, surfaces, shown, limit, units, pick])
  useEffect(() => highlight.current?.(selected), [selected])
  return (
    <div ref={box} className="ol" role="application" aria-label={words.coverInSpace}>
      {failed && <p className="warn">{failed}</p>}
      <div className="said3d">
        {said || words.pointAtAPiece}
        <br />
        <span className="faint">{MAPS.find((m) => m.value === shown)?.says}</span>
      </div>
    </div>
  )
}

/** Clicks that are no drags, and hovering once a frame; returns what ends it. */
function pointer(el: HTMLElement, on: { click: (e: PointerEvent) => void; hover: (e: PointerEvent) => void }) {
  let pressed = [0, 0]
  let looking = 0
  const down = (e: PointerEvent) => {
    pressed = [e.clientX, e.clientY]
  }
  const up = (e: PointerEvent) => {
    // a finger does not hover, and what a click changes may come before the next frame
    on.hover(e)
    if (Math.hypot(e.clientX - pressed[0]!, e.clientY - pressed[1]!) <= 4) on.click(e)
  }
  const move = (e: PointerEvent) => {
    if (e.buttons || looking) return
    looking = requestAnimationFrame(() => {
      looking = 0
      on.hover(e)
    })
  }
  el.addEventListener('pointerdown', down)
  el.addEventListener('pointerup', up)
  el.addEventListener('pointermove', move)
  return () => {
    cancelAnimationFrame(looking)
    el.removeEventListener('pointerdown', down)
    el.removeEventListener('pointerup', up)
    el.removeEventListener('pointermove', move)
  }
}
