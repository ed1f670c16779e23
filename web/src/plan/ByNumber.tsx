import { Button, Input, Segmented } from 'antd'
import { useState } from 'react'
import { useUnits } from '../lib/units'
import { freeName, parsePoints } from './drawing'
import type { Change, Item } from './usePlan'
import { plan as words } from '../words'

const HEIGHTS = { station: 1.65, target: 1.4, height: 0 }
type Kind = keyof typeof HEIGHTS

/** Stations, targets and spot heights by their coordinates: typed, or pasted from a spreadsheet. */
export function ByNumber({ items, onApply }: { items: Item[]; onApply: (c: Change[]) => void }) {
  const u = useUnits()
  const [kind, setKind] = useState<Kind>('station')
  const [text, setText] = useState('')
  const [wrong, setWrong] = useState('')
  const add = () => {
    try {
      const points = parsePoints(text, u.metres)
      const taken = new Set(items.filter((i) => i.kind === kind).map((i) => i.data.name.toLowerCase()))
      const twice = points.find((p) => taken.size === taken.add(p.name.toLowerCase()).size)
      if (twice) throw new Error(words.theIsThereAlready(kind, twice.name))
      onApply(
        points.map(({ name, at }) => ({
          id: crypto.randomUUID(),
          kind,
          data: {
            name,
            base: 0,
            top: 0,
            position: [at[0], at[1], at[2] ?? HEIGHTS[kind]],
            ...(kind === 'target' ? { target: 'sphere' } : {}),
          },
        })),
      )
      setText('')
      setWrong('')
    } catch (e) {
      setWrong((e as Error).message)
    }
  }
  return (
    <form
      className="slices"
      onSubmit={(e) => {
        e.preventDefault()
        add()
      }}
    >
      <Segmented<Kind>
        aria-label={words.kind}
        value={kind}
        onChange={setKind}
        options={[
          { value: 'station', label: words.stations },
          { value: 'target', label: words.targets },
          { value: 'height', label: words.spotHeights },
        ]}
      />
      <Input.TextArea
        aria-label={words.coordinates}
        rows={5}
        value={text}
        onChange={(e) => setText(e.target.value)}
        placeholder={words.nameXYZ(u.code, freeName(items, kind))}
        style={{ width: 290, fontVariantNumeric: 'tabular-nums' }}
      />
      {wrong && (
        <span className="wrong" role="alert">
          {wrong}
        </span>
      )}
      <Button htmlType="submit" type="primary" disabled={!text.trim()}>
        {words.placeThem}
      </Button>
    </form>
  )
}
