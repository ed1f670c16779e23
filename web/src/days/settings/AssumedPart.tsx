import { useUnits } from '../../lib/units'
import { Head } from '../../parts'
import { LengthInput } from '../../parts/LengthInput'
import { days as words } from '../../words'
import type { Part } from './DaySettings'
import { Amount, Named } from './entries'

/** What other ways of measuring are reckoned with. */
export function AssumedPart({ s, edit, set }: Part) {
  const u = useUnits()
  const a = s.assumed
  if (!a) return null
  const put = (part: Partial<typeof a>) => set({ assumed: { ...a, ...part } })
  const [walls, openings] = [a.lengths?.[0] ?? 2, a.lengths?.[1] ?? 3]
  return (
    <>
      <Head>{words.assumptions}</Head>
      <div className="fields narrow">
        <Named label={words.assumed.tie_by_hand}>
          <Amount
            label={words.assumed.tie_by_hand}
            value={a.tie_by_hand}
            unit="min"
            per={60}
            edit={edit}
            onChange={(v) => put({ tie_by_hand: v ?? 0 })}
          />
        </Named>
        <Named label={words.assumed.taped}>
          <Amount
            label={words.assumed.taped}
            value={a.taped}
            unit="s"
            digits={0}
            edit={edit}
            onChange={(v) => put({ taped: v ?? 0 })}
          />
        </Named>
        <Named label={words.assumed.walls}>
          <Amount
            label={words.assumed.walls}
            value={walls}
            unit=""
            edit={edit}
            onChange={(v) => put({ lengths: [v ?? 0, openings] })}
          />
        </Named>
        <Named label={words.assumed.openings}>
          <Amount
            label={words.assumed.openings}
            value={openings}
            unit=""
            edit={edit}
            onChange={(v) => put({ lengths: [walls, v ?? 0] })}
          />
        </Named>
        <Named label={words.mobilePace(u.code)}>
          <LengthInput
            label={words.mobilePace(u.code)}
            value={a.mobile_pace}
            disabled={!edit}
            digits={2}
            onChange={(v) => put({ mobile_pace: v ?? 0.7 })}
          />
        </Named>
        <Named label={words.assumed.mobile_office}>
          <Amount
            label={words.assumed.mobile_office}
            value={a.mobile_office}
            unit={words.timesTheWalk}
            edit={edit}
            onChange={(v) => put({ mobile_office: v ?? 0 })}
          />
        </Named>
      </div>
    </>
  )
}
