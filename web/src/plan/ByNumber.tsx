import { Button, Input, Segmented } from 'antd'
import { useState } from 'react'
import { useUnits } from '../lib/units'
import { freeName, parsePoints } from './drawing'
import type { Change, Item } from './usePlan'

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
      if (twice) throw new Error(`the ${kind} “${twice.name}” is there already, expected a name that is used once`)
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
        aria-label="Kind"
        value={kind}
        onChange={setKind}
        options={[
          { value: 'station', label: 'stations' },
          { value: 'target', label: 'targets' },
          { value: 'height', label: 'spot heights' },
        ]}
      />
      <Input.TextArea
        aria-label="Coordinates"
        rows={5}
        value={text}
        onChange={(e) => setText(e.target.value)}
        placeholder={`name  x  y  z  [${u.code}], a line each\n${freeName(items, kind)}  12.50  8.20`}
        style={{ width: 290, fontVariantNumeric: 'tabular-nums' }}
      />
      {wrong && (
        <span className="wrong" role="alert">
          {wrong}
        </span>
      )}
      <Button htmlType="submit" type="primary" disabled={!text.trim()}>
        Place them
      </Button>
    </form>
  )
}
