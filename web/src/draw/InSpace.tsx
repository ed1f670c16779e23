import { Segmented } from 'antd'
import { CloudView } from '../cloud/CloudView'
import { draw as words } from '../words'
import type { Drawn } from './drawn'

/** From above, where things are drawn, or over the clouds. */
export type View = 'above' | 'space'
const NO_MARKS: never[] = []

/** The switch between the two. */
export function SeenFrom({ value, onChange }: { value: View; onChange: (v: View) => void }) {
  const options = [
    { value: 'above' as const, label: words.fromAbove },
    { value: 'space' as const, label: words.inSpace },
  ]
  return (
    <Segmented<View> size="small" aria-label={words.seenFrom} value={value} onChange={onChange} options={options} />
  )
}

/** What is drawn in space, over the clouds. */
export function InSpace(p: { items: Drawn[]; chosen: string | null; onChoose: (id: string | null) => void }) {
  return (
    <div className="solid-cloud">
      <CloudView
        frame="grid"
        targets={NO_MARKS}
        ties={NO_MARKS}
        selected={null}
        drawn={p.items}
        chosen={p.chosen}
        onChoose={p.onChoose}
      />
    </div>
  )
}
