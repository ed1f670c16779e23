import { Button, Popover } from 'antd'
import { useUnits } from '../lib/units'
import { SmallTable } from '../parts/SmallTable'
import { days as words } from '../words'
import { clock } from './time'
import type { UseDays } from './useDays'

/** An order with less carrying: what it would change, before it is taken. */
export function BetterOrder({ of }: { of: UseDays }) {
  const u = useUnits()
  const found = of.better.data
  const first = found?.stations.map((s) => s.station).join()
  const now = of.read.data?.stations.map((s) => s.id).join()
  const none = found !== undefined && first === now && found.carried[0] === found.carried[1]
  const changes: [string, string[]][] = found
    ? [
        [words.carrying(u.code), found.carried.map((m) => u.len(m ?? 0, 0))],
        [words.tiedToNothing, found.untied.map(String)],
        [words.notFitting, found.left.map(String)],
        [words.lastScan, found.ends.map((e) => clock(e))],
      ]
    : []
  const card = found && (
    <div className="day-better">
      {none ? (
        <p>{words.noBetterOrder}</p>
      ) : (
        <>
          <SmallTable
            name={words.betterOrder}
            heads={['', { num: words.isNow }, { num: words.wouldBe }]}
            rows={changes.map(([name, [now, then]]) => ({ key: name, cells: [name, now, then] }))}
          />
          <Button
            type="primary"
            onClick={() => {
              of.arrange(found.stations)
              of.better.reset()
            }}
          >
            {words.takeThisOrder}
          </Button>
        </>
      )}
    </div>
  )
  return (
    <Popover
      open={!!found}
      onOpenChange={(o) => !o && of.better.reset()}
      trigger="click"
      content={card}
      placement="bottomRight"
    >
      <Button loading={of.better.isPending} onClick={() => of.better.mutate(undefined)}>
        {words.findAShorterOrder}
      </Button>
    </Popover>
  )
}
