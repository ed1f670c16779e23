import { angle, num } from '../lib/format'
import { useUnits } from '../lib/units'
import { COLOURINGS, type Look } from './look'
import { cloud as words } from '../words'

const RAMP = 'linear-gradient(90deg, rgb(26,133,128), rgb(230,199,115), rgb(168,48,38))'
const GREY = 'linear-gradient(90deg, rgb(31,31,31), rgb(247,247,247))'

/** What the colours mean, with the figures at both ends. */
export function Legend({
  look,
  heights,
  limit,
}: {
  look: Look
  heights: [number, number] | null
  limit: number | null
}) {
  const u = useUnits()
  const says = COLOURINGS.find((c) => c.value === look.colouring)?.says
  const ends: Partial<Record<Look['colouring'], [string, string, string]>> = {
    intensity: [GREY, words.weak, words.strong],
    incidence: [RAMP, angle(0), angle(Math.PI / 2)],
    residual: [RAMP, num(0, 0), words.calledWrong],
    error: [RAMP, `${num(0, 0)} ${u.small}`, `${u.err(limit ?? 0.01)} ${u.small}`],
    ...(heights && {
      height: [RAMP, `${u.len(heights[0], 1)} ${u.code}`, `${u.len(heights[1], 1)} ${u.code}`] as [
        string,
        string,
        string,
      ],
    }),
  }
  const end = ends[look.colouring]
  return (
    <div className="cloud-legend" aria-label={words.colours(says)} role="img">
      {end && (
        <>
          <span>{end[1]}</span>
          <i style={{ background: end[0] }} />
          <span>{end[2]}</span>
        </>
      )}
      {!end && <span>{says}</span>}
    </div>
  )
}
