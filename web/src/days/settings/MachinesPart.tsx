import { Checkbox } from 'antd'
import { Head } from '../../parts'
import { days as words } from '../../words'
import type { Part } from './DaySettings'
import { Amount, Named } from './entries'

/** What scans are worked through on. */
export function MachinesPart({ s, edit, set }: Part) {
  const m = s.machines
  const put = (part: Partial<typeof m>) => set({ machines: { ...m, ...part } })
  return (
    <>
      <Head>{words.workingThrough}</Head>
      <div className="fields narrow">
        <Named label={words.tieOfAMillion}>
          <Amount
            label={words.tieOfAMillion}
            value={m.tie}
            unit="s"
            edit={edit}
            onChange={(v) => put({ tie: v ?? 0 })}
          />
        </Named>
        <Named label={words.toTheOffice}>
          <Amount
            label={words.toTheOffice}
            value={m.travel}
            unit="min"
            per={60}
            digits={0}
            edit={edit}
            onChange={(v) => put({ travel: v ?? 0 })}
          />
        </Named>
        <Named label={words.copying}>
          <Amount
            label={words.copying}
            value={m.copy}
            unit="MB/s"
            per={1e6}
            edit={edit}
            least={0.001}
            onChange={(v) => put({ copy: v ?? 1e6 })}
          />
        </Named>
        <Named label={words.officeOfAMillion}>
          <Amount
            label={words.officeOfAMillion}
            value={m.office}
            unit="s"
            edit={edit}
            onChange={(v) => put({ office: v ?? 0 })}
          />
        </Named>
        <Named label={words.lanes}>
          <Amount
            label={words.lanes}
            value={m.lanes}
            unit=""
            digits={0}
            least={1}
            edit={edit}
            onChange={(v) => put({ lanes: v ?? 1 })}
          />
        </Named>
        <Named label={words.photographsOfAStation}>
          <Amount
            label={words.photographsOfAStation}
            value={s.photograph_bytes}
            unit="MB"
            per={1e6}
            digits={0}
            edit={edit}
            onChange={(v) => set({ photograph_bytes: v ?? 0 })}
          />
        </Named>
      </div>
      <div className="bar">
        <Checkbox
          checked={m.trial != null}
          disabled={!edit}
          onChange={(e) => put({ trial: e.target.checked ? 600 : null })}
        >
          {words.trialFirst}
        </Checkbox>
        <Checkbox
          checked={m.device != null}
          disabled={!edit}
          onChange={(e) => put({ device: e.target.checked ? 120 : null })}
        >
          {words.allOnTheDevice}
        </Checkbox>
        {m.device != null && (
          <Amount
            label={words.deviceOfAMillion}
            value={m.device}
            unit={words.sAMillion}
            width={170}
            edit={edit}
            onChange={(v) => put({ device: v ?? 0 })}
          />
        )}
      </div>
    </>
  )
}
