import { Segmented } from 'antd'
import { Elevations } from '../draw/Elevations'
import { Features } from '../draw/Features'
import { Ground } from '../draw/Ground'
import { Plans } from '../draw/Plans'
import { Solids } from '../draw/Solids'
import { useDrawing } from '../draw/useDrawing'
import { useChoice } from '../lib/choice'
import { Caution, Head, States } from '../parts'
import { draw as words } from '../words'

const VIEWS = ['plans', 'elevations', 'ground', 'features', 'solids'] as const
const OPTIONS = VIEWS.map((value) => ({ value, label: words.views[value] }))

/** What the client builds from: drawn out of the clouds, mended by hand, agreed with. */
export default function Draw() {
  const drawing = useDrawing()
  const [view, setView] = useChoice('drawn', VIEWS)
  return (
    <div className="page">
      <Head>{words.draw}</Head>
      <States of={drawing.read} what={words.theDrawing}>
        <div className="bar views">
          <Segmented aria-label={words.view} value={view} onChange={setView} options={OPTIONS} />
        </div>
        {drawing.data && !drawing.data.on_grid && <p className="empty">{words.notOnTheGrid}</p>}
        {drawing.data?.on_grid && view === 'plans' && <Plans drawing={drawing} />}
        {drawing.data?.on_grid && view === 'elevations' && <Elevations drawing={drawing} />}
        {drawing.data?.on_grid && view === 'ground' && <Ground drawing={drawing} />}
        {drawing.data?.on_grid && view === 'features' && <Features drawing={drawing} />}
        {drawing.data?.on_grid && view === 'solids' && <Solids drawing={drawing} />}
      </States>
      <Caution>{words.caution}</Caution>
    </div>
  )
}
