import { Button, Segmented, Select } from 'antd'
import { LengthInput } from '../parts/LengthInput'
import { draw as words } from '../words'
import type { Code, Snap } from './features'
import type { Drawing } from './useDrawing'

const SNAPS: Snap[] = ['ground', 'top', 'foot', 'ridge']

/** What is drawn next. */
export interface Tools {
  drawing: boolean
  code: string
  snap: Snap
  /** Metres between corners at most; none: only those that were clicked. */
  every: number | null
}

export function FeatureTools(p: {
  drawing: Drawing
  codes: Code[]
  tools: Tools
  onChange: (t: Tools) => void
  /** One is chosen. */
  one: boolean
  busy: boolean
  onAgain: () => void
  onRemove: () => void
}) {
  const { codes, tools, onChange: set } = p
  const code = codes.find((c) => c.code === tools.code)
  return (
    <div className="bar draw-tools">
      <Segmented
        size="small"
        aria-label={words.tool}
        value={tools.drawing}
        onChange={(drawing) => set({ ...tools, drawing })}
        options={[
          { value: false, label: words.tools.pick },
          { value: true, label: words.drawIt },
        ]}
      />
      <Select
        size="small"
        showSearch
        aria-label={words.code}
        value={code?.code}
        style={{ width: 230 }}
        options={codes.map((c) => ({ value: c.code, label: `${c.code}  ${c.name}` }))}
        onChange={(v: string) => {
          const c = codes.find((c) => c.code === v)
          set({ ...tools, code: v, snap: c?.snap ?? tools.snap, drawing: true })
        }}
      />
      <Select
        size="small"
        aria-label={words.meant}
        value={tools.snap}
        style={{ width: 150 }}
        options={SNAPS.map((value) => ({ value, label: words.snaps[value] }))}
        onChange={(snap) => set({ ...tools, snap })}
      />
      {code?.is_line && (
        <span className="in-row">
          {words.cornerEvery}
          <span style={{ width: 90 }}>
            <LengthInput
              dense
              label={words.cornerEvery}
              value={tools.every}
              onChange={(every) => set({ ...tools, every })}
            />
          </span>
        </span>
      )}
      <Button size="small" disabled={!p.one} loading={p.busy} onClick={p.onAgain}>
        {words.measureAgain}
      </Button>
      <Button size="small" disabled={!p.drawing.canUndo} onClick={() => void p.drawing.undo()}>
        {words.undo}
      </Button>
      <Button size="small" disabled={!p.drawing.canRedo} onClick={() => void p.drawing.redo()}>
        {words.redo}
      </Button>
      <Button size="small" disabled={!p.one} onClick={p.onRemove}>
        {words.remove}
      </Button>
    </div>
  )
}
