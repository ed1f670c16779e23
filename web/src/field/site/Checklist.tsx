import { Button } from 'antd'
import type { Schema } from '../../api/client'
import { Head } from '../../parts'
import { field as words } from '../../words'
import { heads } from './journal'
import { reading } from './Kit'
import type { Journal } from './useJournal'

type Item = Schema['CheckItemDto']
type Device = Schema['DeviceState']

/** What to see to before the first scan. What is not so says what it would do. */
export function Checklist(p: { items: Item[]; journal: Journal; edit: boolean; begun: boolean; devices: Device[] }) {
  const { items, journal, edit } = p
  const state = (i: Item) => {
    const last = heads(journal.entries, `check ${i.item}`).at(-1)
    return last?.fact.kind === 'tick' ? { done: last.fact.data.done, by: last.by } : null
  }
  const open = items.filter((i) => state(i)?.done !== true)
  const tick = (item: string, done: boolean) => void journal.note({ kind: 'tick', data: { item, done, note: '' } })
  return (
    <details className="site-part" open={!p.begun && open.length > 0}>
      <summary>
        <Head aside={open.length ? words.stillOpen(open.length) : words.allSeenTo}>{words.beforeTheFirstScan}</Head>
      </summary>
      {edit && items.some((i) => reading(i.item, p.devices)) && (
        <Button
          onClick={() => {
            for (const i of items) {
              const r = reading(i.item, p.devices)
              if (r && state(i)?.done !== r.done) tick(i.item, r.done)
            }
          }}
        >
          {words.takeWhatTheySay}
        </Button>
      )}
      <ul className="site-checks" aria-label={words.beforeTheFirstScan}>
        {items.map((i) => {
          const s = state(i)
          const r = reading(i.item, p.devices)
          return (
            <li key={i.item}>
              <div>
                <strong>{i.said}</strong>
                {r && <span className={r.done ? '' : 'warn'}>{words.deviceSays(r.said)}</span>}
                <span className={s?.done === false ? 'warn' : 'faint'}>
                  {s?.done === true ? words.seenBy(s.by) : words.otherwise(i.otherwise)}
                </span>
              </div>
              {edit && (
                <span role="group" aria-label={i.said}>
                  <Button
                    aria-pressed={s?.done === true}
                    type={s?.done === true ? 'primary' : 'default'}
                    onClick={() => tick(i.item, true)}
                  >
                    {words.isSo}
                  </Button>
                  <Button
                    aria-pressed={s?.done === false}
                    danger={s?.done === false}
                    onClick={() => tick(i.item, false)}
                  >
                    {words.isNotSo}
                  </Button>
                </span>
              )}
            </li>
          )
        })}
      </ul>
    </details>
  )
}
