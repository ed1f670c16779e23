import { Head } from '../../parts'
import { LengthInput } from '../../parts/LengthInput'
import { useUnits } from '../../lib/units'
import { days as words } from '../../words'
import type { Part } from './DaySettings'
import { Amount, Named } from './entries'

const PACES = [
  'arrive',
  'induction',
  'check',
  'set_up',
  'target_up',
  'target_down',
  're_tie',
  'swap',
  'card',
  'pack',
] as const

/** How long things take. */
export function PacePart({ s, edit, set }: Part) {
  const u = useUnits()
  return (
    <>
      <Head>{words.howLongThingsTake}</Head>
      <div className="fields narrow">
        {PACES.map((k) => (
          <Named key={k} label={words.pace[k]}>
            <Amount
              label={words.pace[k]}
              value={s.pace[k]}
              unit="min"
              per={60}
              digits={2}
              edit={edit}
              onChange={(v) => set({ pace: { ...s.pace, [k]: v ?? 0 } })}
            />
          </Named>
        ))}
        <Named label={words.walkingPace(u.code)}>
          <LengthInput
            label={words.walkingPace(u.code)}
            value={s.walk}
            disabled={!edit}
            digits={2}
            onChange={(v) => set({ walk: v ?? 1 })}
          />
        </Named>
        <Named label={words.temperatureOfCheck}>
          <Amount
            label={words.temperatureOfCheck}
            value={s.check_temperature}
            unit="°C"
            least={-60}
            edit={edit}
            onChange={(v) => set({ check_temperature: v })}
          />
        </Named>
        <Named label={words.temperatureOfSite}>
          <Amount
            label={words.temperatureOfSite}
            value={s.site_temperature}
            unit="°C"
            least={-60}
            edit={edit}
            onChange={(v) => set({ site_temperature: v })}
          />
        </Named>
      </div>
    </>
  )
}
