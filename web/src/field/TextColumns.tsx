import { Button, Popover, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useJob } from '../lib/hooks'
import { field as words } from '../words'

const ROLES = ['x', 'y', 'z', 'intensity', words.redGreenBlueFrom]

/** The first lines of a text file, and what its columns are taken for. */
export function TextColumns({
  file,
  columns,
  onChange,
}: {
  file: File
  columns: number[]
  onChange: (c: number[]) => void
}) {
  const job = useJob()
  const [seen, setSeen] = useState<Schema['TextPreview'] | null>(null)
  const [wrong, setWrong] = useState('')
  const look = async () => {
    if (seen) return
    try {
      const text = await file.slice(0, 64 << 10).text()
      const p = unwrap(
        await api.POST('/api/jobs/{job}/uploads/preview', {
          params: { path: { job: job.id } },
          body: text.slice(0, text.lastIndexOf('\n') + 1) || text,
          bodySerializer: (b: string) => b,
          headers: { 'Content-Type': 'text/plain' },
        }),
      )
      setSeen(p)
      if (columns.length === 0) onChange([...p.xyz, p.intensity ?? -1, p.rgb ?? -1])
    } catch (e) {
      setWrong((e as Error).message)
    }
  }
  const count = seen?.rows[0]?.length ?? 0
  const content = seen ? (
    <div style={{ maxWidth: 640, overflowX: 'auto' }}>
      <div className="bar">
        {ROLES.map((r, k) => (
          <label key={r} className="faint">
            {r}{' '}
            <Select
              size="small"
              aria-label={words.columnOf(r)}
              value={columns[k] ?? -1}
              onChange={(v) => onChange(ROLES.map((_, i) => (i === k ? v : (columns[i] ?? -1))))}
              options={[
                ...(k > 2 ? [{ value: -1, label: words.none }] : []),
                ...Array.from({ length: count }, (_, i) => ({ value: i, label: words.column(i + 1) })),
              ]}
            />
          </label>
        ))}
      </div>
      <table className="ledger" aria-label={words.firstLines}>
        <thead>
          <tr>
            {Array.from({ length: count }, (_, i) => (
              <th key={i} className="num">
                {seen.heading?.[i] ?? i + 1}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {seen.rows.map((r, i) => (
            <tr key={i}>
              {r.map((f, k) => (
                <td key={k} className="num">
                  {f}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  ) : (
    <span className={wrong ? 'warn' : 'faint'}>{wrong || words.lookingAtTheFile}</span>
  )
  return (
    <Popover
      trigger="click"
      content={content}
      onOpenChange={(open) => {
        if (open) void look()
      }}
    >
      <Button size="small">{words.columns}</Button>
    </Popover>
  )
}
