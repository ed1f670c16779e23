import { Button, Popover } from 'antd'
import { useUnits } from '../lib/units'
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
  const card = found && (
    <div className="day-better">
      {none ? (
        <p>{words.noBetterOrder}</p>
      ) : (
        <>
          <table className="ledger" aria-label={words.betterOrder}>
            <thead>
              <tr>
                <th scope="col" />
                <th scope="col" className="num">
                  {words.isNow}
                </th>
                <th scope="col" className="num">
                  {words.wouldBe}
                </th>
              </tr>
            </thead>
            <tbody>
              {(
                [
                  [words.carrying(u.code), found.carried.map((m) => u.len(m ?? 0, 0))],
                  [words.tiedToNothing, found.untied.map(String)],
                  [words.notFitting, found.left.map(String)],
                  [words.lastScan, found.ends.map((e) => clock(e))],
                ] as const
              ).map(([name, of]) => (
                <tr key={name}>
                  <td>{name}</td>
                  <td className="num">{of[0]}</td>
                  <td className="num">{of[1]}</td>
                </tr>
              ))}
            </tbody>
          </table>
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
