import { Button, Segmented } from 'antd'
import { Fragment } from 'react'
import { useChoice } from '../lib/choice'
import { num, size, span } from '../lib/format'
import { canEdit } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Caution, Head } from '../parts'
import { days as words } from '../words'
import { share } from './DayChart'
import { Options } from './Options'
import { When } from './OrderTable'
import { DaySettings } from './settings/DaySettings'
import type { Days, UseDays } from './useDays'

const PAGES = ['watch', 'kit', 'field', 'settings'] as const

/** What is said beside the order. */
export function DayPages({ of, days, onPick }: { of: UseDays; days: Days; onPick: (station: string) => void }) {
  const [page, setPage] = useChoice('page', PAGES)
  return (
    <section className="day-pages" aria-label={words.page[page]}>
      <Segmented
        aria-label={words.pages}
        value={page}
        onChange={setPage}
        options={PAGES.map((value) => ({ value, label: words.page[value] }))}
      />
      {page === 'watch' && <Watch of={of} days={days} onPick={onPick} />}
      {page === 'kit' && <Kit days={days} />}
      {page === 'field' && <FromTheField of={of} days={days} />}
      {page === 'settings' && <DaySettings of={of} days={days} />}
    </section>
  )
}

function Watch({ of, days, onPick }: { of: UseDays; days: Days; onPick: (station: string) => void }) {
  return (
    <>
      {days.remarks.length > 0 && (
        <ul className="day-remarks">
          {days.remarks.map((r) => (
            <li key={r.said} className={r.breaks ? 'breaks' : ''}>
              {r.said}{' '}
              {r.station && (
                <button type="button" className="link" onClick={() => onPick(r.station!)}>
                  {words.show(r.station)}
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {days.stations.some((s) => s.why) && <Options of={of} />}
      <Head>{words.whatBreaksFirst}</Head>
      <table className="ledger" aria-label={words.whatBreaksFirst}>
        <thead>
          <tr>
            <th scope="col">{words.ifThisTakesLonger}</th>
            <th scope="col" className="num">
              {words.itGivesUpTo}
            </th>
            <th scope="col">{words.thenFallsOut}</th>
            <th scope="col" className="num">
              {words.at20}
            </th>
          </tr>
        </thead>
        <tbody>
          {days.gives.map((g) => (
            <tr key={g.part} className={g.share != null && g.share <= 0.2 ? 'bad' : ''}>
              <td>{words.part[g.part]}</td>
              <td className="num">{share(g.share)}</td>
              <td>{g.station ?? (g.share == null ? '' : words.anErrand)}</td>
              <td className="num">{g.later == null ? words.fallsOut : words.later(span(Math.max(0, g.later)))}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Totals days={days} />
      <Ways days={days} />
      <Caution>{words.caution}</Caution>
    </>
  )
}

/** The same site by other ways, with what they are reckoned with. */
function Ways({ days }: { days: Days }) {
  const u = useUnits()
  return (
    <>
      <Head>{words.otherWays}</Head>
      <table className="ledger" aria-label={words.otherWays}>
        <thead>
          <tr>
            <th scope="col">{words.wayHead}</th>
            <th scope="col" className="num">
              {words.onSite}
            </th>
            <th scope="col" className="num">
              {words.labour}
            </th>
            <th scope="col" className="num">
              {words.atTheOffice}
            </th>
            <th scope="col" className="num">
              {words.worst95(u.small)}
            </th>
          </tr>
        </thead>
        <tbody>
          {days.ways.map((w) => (
            <Fragment key={w.way}>
              <tr className="above">
                <td>
                  <b>{words.way[w.way]}</b>
                </td>
                <td className="num">{span(w.site)}</td>
                <td className="num">{span(w.labour)}</td>
                <td className="num">{w.office > 0 ? span(w.office) : '–'}</td>
                <td className="num">{w.error == null ? '–' : u.err(w.error)}</td>
              </tr>
              <tr>
                <td colSpan={5} className="faint">
                  {w.said}
                </td>
              </tr>
            </Fragment>
          ))}
        </tbody>
      </table>
    </>
  )
}

function Totals({ days }: { days: Days }) {
  const u = useUnits()
  const t = days.totals
  const rows: [string, string][] = [
    [words.scanning, span(t.scanning)],
    [words.settingUp, span(t.setting_up)],
    [words.walking, `${span(t.walking)}, ${u.len(t.carried, 0)} ${u.code} ${words.withScanner}`],
    [words.targets, span(t.targets)],
    [words.control, span(t.control)],
    [words.waiting, span(t.waiting)],
    [words.storage, size(t.bytes)],
  ]
  return (
    <>
      <Head
        aside={
          t.worked != null && (
            <>
              {words.allWorkedThrough} <When days={days} at={t.worked} />
            </>
          )
        }
      >
        {words.whereTheTimeGoes}
      </Head>
      <dl className="facts">
        {rows.map(([name, value]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      {days.checked.map((ok, k) => (
        <p key={`${k}`} className={ok ? 'faint' : 'wrong'}>
          {ok ? words.checkedBefore(k + 2) : words.notCheckedBefore(k + 2)}
        </p>
      ))}
    </>
  )
}

function Kit({ days }: { days: Days }) {
  return (
    <table className="ledger" aria-label={words.page.kit}>
      <thead>
        <tr>
          <th scope="col">{words.what}</th>
          <th scope="col">{words.countedFrom}</th>
          <th scope="col" className="num">
            {words.needed}
          </th>
          <th scope="col" className="num">
            {words.spare}
          </th>
        </tr>
      </thead>
      <tbody>
        {days.kit.map((k) => (
          <tr key={k.what}>
            <td>{k.what}</td>
            <td>{k.said}</td>
            <td className="num">{k.count}</td>
            <td className="num">{k.spare > 0 ? k.spare : '–'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** What was noted against what was planned; the pace of this crew can be taken over. */
function FromTheField({ of, days }: { of: UseDays; days: Days }) {
  const l = days.learned
  const u = useUnits()
  if (l.stations === 0) return <p className="empty">{words.nothingNoted}</p>
  const ratio = l.planned > 0 ? l.took / l.planned : 1
  const take = () =>
    of.keep.mutate({
      ...days.settings,
      walk: l.walk ? Math.min(5, Math.max(0.1, l.walk)) : days.settings.walk,
      pace: { ...days.settings.pace, set_up: l.set_up ?? days.settings.pace.set_up },
    })
  return (
    <>
      <p>{words.stationsTook(l.stations, span(l.took), span(l.planned), num(ratio, 2))}</p>
      <table className="ledger" aria-label={words.learned}>
        <thead>
          <tr>
            <th scope="col" />
            <th scope="col" className="num">
              {words.planned}
            </th>
            <th scope="col" className="num">
              {words.medianNoted}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>{words.settingUp}</td>
            <td className="num">{span(days.settings.pace.set_up)}</td>
            <td className="num">{l.set_up == null ? '–' : span(l.set_up)}</td>
          </tr>
          <tr>
            <td>{words.walkingPace(u.code)}</td>
            <td className="num">{u.len(days.settings.walk, 2)}</td>
            <td className="num">{l.walk == null ? '–' : u.len(l.walk, 2)}</td>
          </tr>
        </tbody>
      </table>
      {l.set_up == null && l.walk == null && <p className="faint">{words.fewerThanThree}</p>}
      {canEdit(of.job) && (l.set_up != null || l.walk != null) && (
        <Button onClick={take} loading={of.keep.isPending}>
          {words.planWithThisPace}
        </Button>
      )}
    </>
  )
}
