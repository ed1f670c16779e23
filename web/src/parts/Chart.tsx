import * as Plot from '@observablehq/plot'
import { useEffect, useRef } from 'react'
import { ACCENT, FAINT, INK, OCHRE, PAPER, RED } from '../lib/palette'
import { useTheme } from '../lib/settings'

export interface Colours {
  ink: string
  faint: string
  accent: string
  ochre: string
  red: string
  paper: string
}

/** One figure. `options` draws it in the colours of the sheet; a click hands over the datum that is pointed at. */
export function Chart<T>(p: {
  caption: string
  /** What a reader who does not see it should know. */
  says: string
  options: (c: Colours) => Plot.PlotOptions
  onPick?: (datum: T) => void
}) {
  const box = useRef<HTMLDivElement>(null)
  const theme = useTheme()
  const live = useRef(p)
  useEffect(() => {
    live.current = p
  })
  useEffect(() => {
    const here = box.current
    if (!here) return
    const colours = { ink: INK, faint: FAINT, accent: ACCENT, ochre: OCHRE, red: RED, paper: PAPER }
    const draw = () => {
      const svg = Plot.plot({
        width: Math.max(260, here.clientWidth),
        height: 190,
        marginLeft: 44,
        marginBottom: 34,
        style: { background: 'none', color: INK, fontFamily: "'Source Sans 3', sans-serif", fontSize: '12px' },
        ...live.current.options(colours),
      }) as (SVGSVGElement | HTMLElement) & { value?: T }
      svg.setAttribute('aria-hidden', 'true')
      svg.addEventListener('click', () => {
        if (svg.value) live.current.onPick?.(svg.value)
      })
      here.replaceChildren(svg)
    }
    draw()
    const watch = new ResizeObserver(draw)
    watch.observe(here)
    return () => watch.disconnect()
  }, [p.options, theme])
  return (
    <figure aria-label={p.caption}>
      <figcaption>{p.caption}</figcaption>
      <div ref={box} />
      <span className="unseen">{p.says}</span>
    </figure>
  )
}

export { Plot }
