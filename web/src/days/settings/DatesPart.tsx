import { Input } from 'antd'
import { Head } from '../../parts'
import { days as words } from '../../words'
import { dateOf } from '../time'
import type { Part } from './DaySettings'
import { Day, Rows, Time } from './entries'

const HOUR = 3600

/** Days and rests. */
export function DatesPart({ s, edit, set }: Part) {
  const after = () => {
    const last = s.dates.at(-1)
    return last
      ? { ...last, date: dateOf(last.date, 86_400) }
      : { date: new Date().toISOString().slice(0, 10), from: 8 * HOUR, to: 17 * HOUR }
  }
  return (
    <>
      <Head>{words.daysOnSite}</Head>
      <Rows
        of={s.dates}
        edit={edit}
        add={{ label: words.addADay, make: after }}
        name={(d) => d.date}
        onChange={(dates) => set({ dates })}
      >
        {(d, put) => (
          <>
            <Day label={words.date} value={d.date} edit={edit} onChange={(date) => put({ date })} />
            <Time label={words.gateOpens} value={d.from} edit={edit} onChange={(from) => put({ from })} />–
            <Time label={words.gateCloses} value={d.to} edit={edit} onChange={(to) => put({ to })} />
          </>
        )}
      </Rows>
      <Head aside={words.begunBetween}>{words.rests}</Head>
      <Rows
        of={s.breaks}
        edit={edit}
        add={{
          label: words.addARest,
          make: () => ({ name: words.rest, from: 15 * HOUR, to: 15.5 * HOUR, length: 900 }),
        }}
        name={(b) => b.name}
        onChange={(breaks) => set({ breaks })}
      >
        {(b, put) => (
          <>
            <Input
              aria-label={words.name}
              style={{ width: 110 }}
              value={b.name}
              disabled={!edit}
              onChange={(e) => put({ name: e.target.value })}
            />
            <Time label={words.earliest} value={b.from} edit={edit} onChange={(from) => put({ from })} />–
            <Time label={words.latest} value={b.to} edit={edit} onChange={(to) => put({ to })} />
            <Input
              type="number"
              aria-label={words.length}
              style={{ width: 104 }}
              value={Math.round(b.length / 60)}
              min={1}
              disabled={!edit}
              suffix="min"
              onChange={(e) => Number(e.target.value) > 0 && put({ length: Number(e.target.value) * 60 })}
            />
          </>
        )}
      </Rows>
    </>
  )
}
