import { Button, Input } from 'antd'
import { useDraft } from '../lib/draft'
import { Conflicts, Head } from '../parts'
import { Distances } from './Distances'
import { type Data, Field, type ItemPart } from './item/fields'
import { Openings } from './item/Openings'
import { ShapeFields } from './item/ShapeFields'
import { StationFields } from './item/StationFields'
import { TargetFields } from './item/TargetFields'
import { Vertices } from './item/Vertices'
import { WalkFields } from './item/WalkFields'
import type { Item } from './usePlan'
import { plan as words } from '../words'

export const KIND_NAMES: Record<string, string> = {
  wall: words.wall,
  obstacle: words.obstacle,
  column: words.column,
  floor: words.floor,
  area: words.area,
  edge: words.breakline,
  height: words.spotHeight,
  underlay: words.underlay,
  station: words.station,
  target: words.target,
  walk: words.walk,
}

/** Lines that do not close. */
const OPEN = ['wall', 'edge', 'walk']

/** Everything about one item, by number. Enter applies. */
export function ItemForm({
  item,
  items,
  edit,
  step,
  onChange,
  onRemove,
}: {
  item: Item
  items: Item[]
  edit: boolean
  step: number
  onChange: (d: Data) => void
  onRemove: () => void
}) {
  const draft = useDraft(`vistazo-item ${item.id}`, item.data, item.version)
  const { value: d, set } = draft
  const put = (part: Partial<Data>) => set({ ...d, ...part })
  const k = item.kind
  const part: ItemPart = { item, items, d, edit, put }
  const changed = draft.changed && draft.conflicts.length === 0
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        draft.discard()
        onChange(d)
      }}
    >
      <Head
        aside={
          edit && (
            <Button danger size="small" onClick={onRemove}>
              {words.removeTitle}
            </Button>
          )
        }
      >
        {item.data.name.startsWith(KIND_NAMES[k]!) ? '' : `${KIND_NAMES[k]} `}
        {item.data.name}
      </Head>
      <Conflicts draft={draft} name={(p) => p.replaceAll('_', ' ')} />
      <div className="fields" style={{ gridTemplateColumns: 'repeat(4, 1fr)' }}>
        <Field name="Name">
          <Input
            aria-label={words.name}
            value={d.name}
            disabled={!edit}
            onChange={(e) => put({ name: e.target.value })}
          />
        </Field>
        <ShapeFields {...part} />
        {k === 'station' && <StationFields {...part} step={step} />}
        {k === 'target' && <TargetFields {...part} />}
        {k === 'walk' && <WalkFields {...part} />}
      </div>
      {d.target === 'checker' && <p className="faint">{words.hangItTurnedBy}</p>}
      {(d.line?.length ?? 0) > 0 && <Vertices d={d} closed={!OPEN.includes(k)} edit={edit} put={put} />}
      {k === 'target' && <Distances d={d} items={items} own={item.id} edit={edit} put={put} />}
      {k === 'wall' && <Openings d={d} edit={edit} put={put} />}
      {edit && changed && (
        <div className="bar">
          <Button type="primary" htmlType="submit">
            {words.apply}
          </Button>
          <Button onClick={() => set(item.data)}>{words.leaveAsItWas}</Button>
        </div>
      )}
    </form>
  )
}
