import { Button, Input, Segmented, Select } from 'antd'
import { useState } from 'react'
import { Confirm } from '../parts'
import { draw as words } from '../words'
import type { Code, Snap } from './features'
import type { Drawing } from './useDrawing'

const SNAPS: Snap[] = ['ground', 'top', 'foot', 'ridge']
const IS_CODE = /^[A-Z0-9_]{1,24}$/

/** Codes of one's own beside those of every job. */
export function CodeTable({ codes, drawing }: { codes: Code[]; drawing: Drawing }) {
  const [code, setCode] = useState('')
  const [name, setName] = useState('')
  const [snap, setSnap] = useState<Snap>('ground')
  const [line, setLine] = useState(true)
  const own = codes.filter((c) => c.id != null)
  const fits = IS_CODE.test(code) && name.trim() !== '' && !own.some((c) => c.code === code)
  const add = () => {
    if (!fits) return
    const data = { code, name: name.trim(), snap, is_line: line }
    void drawing.apply([{ id: crypto.randomUUID(), kind: 'code', data }])
    setCode('')
    setName('')
  }
  return (
    <details>
      <summary>{words.ownCode}</summary>
      <form
        className="in-row"
        onSubmit={(e) => {
          e.preventDefault()
          add()
        }}
      >
        <Input
          size="small"
          style={{ width: 150 }}
          maxLength={24}
          aria-label={words.code}
          placeholder={words.code}
          value={code}
          status={code && !IS_CODE.test(code) ? 'error' : ''}
          onChange={(e) => setCode(e.target.value.toUpperCase())}
        />
        <Input
          size="small"
          style={{ width: 220 }}
          maxLength={60}
          aria-label={words.name}
          placeholder={words.name}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Segmented
          size="small"
          value={line}
          onChange={setLine}
          options={[
            { value: true, label: words.asLine },
            { value: false, label: words.asPoint },
          ]}
        />
        <Select
          size="small"
          aria-label={words.meant}
          value={snap}
          style={{ width: 150 }}
          options={SNAPS.map((value) => ({ value, label: words.snaps[value] }))}
          onChange={setSnap}
        />
        <Button size="small" htmlType="submit" disabled={!fits}>
          {words.addCode}
        </Button>
        <span className="faint">{words.ownCodeSays}</span>
      </form>
      <ul>
        {own.map((c) => (
          <li key={c.code}>
            {c.code} {c.name}, {words.snaps[c.snap].toLowerCase()}{' '}
            <Confirm
              title={words.removeCode}
              onConfirm={() => void drawing.apply([{ id: c.id!, kind: 'code', data: null }])}
            >
              {words.removeCode}
            </Confirm>
          </li>
        ))}
      </ul>
    </details>
  )
}
