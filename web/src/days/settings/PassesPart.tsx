import { Input } from 'antd'
import { Head } from '../../parts'
import { LengthInput } from '../../parts/LengthInput'
import { usePlan } from '../../plan/usePlan'
import { days as words } from '../../words'
import type { Part } from './DaySettings'
import { Amount, Rows } from './entries'

/** Walks with a mobile unit on these days: how long, and where they begin and end. */
export function PassesPart({ s, edit, set }: Part) {
  const station = usePlan().items.find((i) => i.kind === 'station')
  const [x = 0, y = 0] = station?.data.position ?? []
  const passes = s.passes ?? []
  return (
    <>
      <Head aside={words.byWhoeverIsFree}>{words.mobilePasses}</Head>
      <Rows
        of={passes}
        edit={edit}
        add={{
          label: words.addAPass,
          make: () => ({ name: words.passNr(passes.length + 1), seconds: 600, place: [x, y] as [number, number] }),
        }}
        name={(p) => p.name}
        onChange={(of) => set({ passes: of })}
      >
        {(p, put) => (
          <>
            <Input
              aria-label={words.name}
              style={{ width: 130 }}
              value={p.name}
              disabled={!edit}
              onChange={(e) => put({ name: e.target.value })}
            />
            <Amount
              label={words.length}
              value={p.seconds}
              unit="min"
              per={60}
              width={104}
              least={0.2}
              edit={edit}
              onChange={(v) => put({ seconds: v ?? 600 })}
            />
            {(['x', 'y'] as const).map((axis, k) => (
              <span key={axis} className="day-place">
                <LengthInput
                  label={words.beginsAt(axis)}
                  value={p.place[k]}
                  disabled={!edit}
                  digits={1}
                  onChange={(v) => put({ place: p.place.map((o, i) => (i === k ? (v ?? 0) : o)) })}
                />
              </span>
            ))}
          </>
        )}
      </Rows>
    </>
  )
}
