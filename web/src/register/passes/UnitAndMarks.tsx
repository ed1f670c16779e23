import { Button, Input, Select } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../../api/client'
import { useAsk, useJob } from '../../lib/hooks'
import { useUnits } from '../../lib/units'
import { VerdictCard } from '../../parts'
import { register as words } from '../../words'
import { type Mark, readMarks, writeMarks } from './marks'
import type { Pass, PassActions, Passes } from './usePasses'

/** Which points of the control list marks are, by how far they lie apart along the walk; nothing is kept by asking. */
function useOrder(pass: Pass) {
  const job = useJob()
  return useAsk(async (marks: Mark[]) => {
    const path = { job: job.id, pass: pass.id }
    const body = { marks: marks.map((m) => ({ ...m, point: m.point || null })) }
    return unwrap(await api.POST('/api/jobs/{job}/passes/{pass}/order', { params: { path }, body }))
  })
}

/** The unit a pass was walked with, and the control points it stood on or shows. */
export function UnitAndMarks({ pass, of, units }: { pass: Pass; of: PassActions; units: Passes['units'] }) {
  const u = useUnits()
  const [text, setText] = useState(() => writeMarks(pass.marks, u.metres))
  const read = readMarks(text, u.metres)
  const marks = 'marks' in read ? read.marks : null
  const nameless = marks?.some((m) => m.point === '') ?? false
  const order = useOrder(pass)
  const ordered = order.data
  return (
    <details>
      <summary>{words.unitAndMarks(pass.marks.length)}</summary>
      <div className="bar">
        <Select
          aria-label={words.walkedWith}
          value={pass.unit}
          onChange={(unit) => of.change.mutate({ pass, unit })}
          style={{ width: 160 }}
          options={units.map((x) => ({ value: x.name, label: x.name }))}
        />
      </div>
      <p className="empty">{words.whatMarksAre(u.code)}</p>
      <Input.TextArea
        aria-label={words.marksItStoodOn}
        rows={Math.min(10, Math.max(3, text.split('\n').length))}
        value={text}
        placeholder={'184.2 K3 1.52\n301.5\n@ 12.40 3.18 0.02 K7'}
        onChange={(e) => {
          setText(e.target.value)
          order.reset()
        }}
      />
      {'line' in read && <p className="warn">{words.markLineWrong(read.line, read.found)}</p>}
      {ordered && (
        <VerdictCard
          tone={ordered.agrees ? 'sound' : 'doubtful'}
          title={ordered.agrees ? words.orderAgrees : words.orderDoesNotAgree}
          evidence={ordered.says}
        />
      )}
      <div className="bar">
        <Button
          size="small"
          disabled={!marks || marks.length < 2}
          loading={order.isPending}
          onClick={() => marks && order.mutate(marks)}
        >
          {nameless ? words.nameInOrder : words.checkOrder}
        </Button>
        {ordered?.marks.every((m) => m.point) && writeMarks(ordered.marks, u.metres) !== text && (
          <Button size="small" onClick={() => setText(writeMarks(ordered.marks, u.metres))}>
            {words.takeThese}
          </Button>
        )}
        <Button
          size="small"
          disabled={!marks || nameless || text === writeMarks(pass.marks, u.metres)}
          loading={of.change.isPending}
          onClick={() => marks && of.change.mutate({ pass, marks })}
        >
          {words.keepMarks}
        </Button>
        {nameless && <span className="faint">{words.nameFirst}</span>}
      </div>
    </details>
  )
}
