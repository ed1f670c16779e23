import { Checkbox, Input, Select } from 'antd'
import { Head } from '../../parts'
import { usePlan } from '../../plan/usePlan'
import { days as words } from '../../words'
import type { Part } from './DaySettings'
import { Rows, Time } from './entries'

const HOUR = 3600

/** When places are closed, and daylight. */
export function WindowsPart({ s, edit, set }: Part) {
  const areas = usePlan().items.filter((i) => i.kind === 'area')
  const light = s.daylight
  return (
    <>
      <Head aside={words.eachDay}>{words.windows}</Head>
      <Rows
        of={s.windows}
        edit={edit}
        add={{
          label: words.addAWindow,
          make: () => ({ name: words.quietHours, area: null, from: 10 * HOUR, to: 11 * HOUR, closed: true }),
        }}
        name={(w) => w.name}
        onChange={(windows) => set({ windows })}
      >
        {(w, put) => (
          <>
            <Input
              aria-label={words.name}
              style={{ width: 130 }}
              value={w.name}
              disabled={!edit}
              onChange={(e) => put({ name: e.target.value })}
            />
            <Select
              aria-label={words.area}
              value={w.area ?? ''}
              disabled={!edit}
              style={{ minWidth: 130 }}
              onChange={(area) => put({ area: area || null })}
              options={[
                { value: '', label: words.wholeSite },
                ...areas.map((a) => ({ value: a.id, label: a.data.name })),
              ]}
            />
            <Select
              aria-label={words.closedOrOpen}
              value={w.closed}
              disabled={!edit}
              style={{ minWidth: 110 }}
              onChange={(closed) => put({ closed })}
              options={[
                { value: true, label: words.closed },
                { value: false, label: words.openOnly },
              ]}
            />
            <Time label={words.from} value={w.from} edit={edit} onChange={(from) => put({ from })} />–
            <Time label={words.until} value={w.to} edit={edit} onChange={(to) => put({ to })} />
          </>
        )}
      </Rows>
      <div className="bar day-entry">
        <Checkbox
          checked={!!light}
          disabled={!edit}
          onChange={(e) => set({ daylight: e.target.checked ? [7 * HOUR, 19 * HOUR] : null })}
        >
          {words.photographsByDaylight}
        </Checkbox>
        {light && (
          <>
            <Time
              label={words.daylightFrom}
              value={light[0]!}
              edit={edit}
              onChange={(t) => set({ daylight: [t, light[1]!] })}
            />
            –
            <Time
              label={words.daylightUntil}
              value={light[1]!}
              edit={edit}
              onChange={(t) => set({ daylight: [light[0]!, t] })}
            />
          </>
        )}
      </div>
    </>
  )
}
