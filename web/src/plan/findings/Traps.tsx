import { App, Button } from 'antd'
import { api, type Schema, unwrap } from '../../api/client'
import { canEdit, useAsk, useJob } from '../../lib/hooks'
import { Head } from '../../parts'
import { plan as words } from '../../words'
import type { Change, Item } from '../usePlan'

/** What would go wrong on site, and about what. */
export function Traps({
  traps,
  items,
  onSelect,
  onApply,
  none,
}: {
  traps: Schema['CoverDto']['traps']
  items: Item[]
  onSelect: (name: string) => void
  onApply: (c: Change[]) => void
  none?: string
}) {
  const job = useJob()
  const spread = useSpread(items, onApply)
  return (
    <>
      <Head aside={traps.length ? words.toLookAt(traps.length) : ''}>{words.whatWouldGoWrong}</Head>
      {traps.length === 0 && <p className="empty">{none ?? words.nothingFoundStationsHang}</p>}
      <ul className="traps" aria-label={words.traps}>
        {traps.map((t, k) => (
          <li key={k} className={t.grade}>
            <b>
              {t.grade === 'failed' ? '×' : '?'} {t.title}
            </b>
            <span>
              {t.text}{' '}
              {t.about.slice(0, 6).map((n) => (
                <a
                  key={n}
                  href={`#${n}`}
                  onClick={(e) => {
                    e.preventDefault()
                    onSelect(n)
                  }}
                >
                  {n}
                </a>
              ))}
            </span>
            {t.mend === 'control' && canEdit(job) && (
              <Button size="small" loading={spread.isPending} onClick={() => spread.mutate(undefined)}>
                {words.spreadControlOverThe}
              </Button>
            )}
          </li>
        ))}
      </ul>
    </>
  )
}

/** Control spread over the plan: targets to fit to, others held back as check. */
function useSpread(items: Item[], onApply: (c: Change[]) => void) {
  const job = useJob()
  const { message } = App.useApp()
  return useAsk(
    async () => unwrap(await api.GET('/api/jobs/{job}/plan/control', { params: { path: { job: job.id } } })),
    (c) => {
      const changes = items
        .filter((i) => i.kind === 'target' && (c.fit.includes(i.id) || c.check.includes(i.id) || i.data.control_sigma))
        .map((i): Change => {
          const [fit, check] = [c.fit.includes(i.id), c.check.includes(i.id)]
          return {
            id: i.id,
            kind: i.kind,
            data: {
              ...i.data,
              control_sigma: fit || check ? (i.data.control_sigma ?? c.sigma) : undefined,
              check,
            },
          }
        })
      if (c.fit.length >= 3) {
        onApply(changes)
        if (c.check.length === 0) void message.info(words.allThreeAreNeeded)
      } else void message.warning(words.fewerThan3Targets)
    },
  )
}
