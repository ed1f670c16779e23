import { Button, Segmented } from 'antd'
import { useChoice } from '../lib/choice'
import { num, size, span } from '../lib/format'
import { canEdit } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Caution, Head } from '../parts'
import { SmallTable } from '../parts/SmallTable'
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
      <SmallTable
        name={words.whatBreaksFirst}
        heads={[words.ifThisTakesLonger, { num: words.itGivesUpTo }, words.thenFallsOut, { num: words.at20 }]}
        rows={days.gives.map((g) => ({
          key: g.part,
          bad: g.share != null && g.share <= 0.2,
          cells: [
            words.part[g.part],
            share(g.share),
            g.station ?? (g.share == null ? '' : words.anErrand),
            g.later == null ? words.fallsOut : words.later(span(Math.max(0, g.later))),
          ],
        }))}
      />
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
      <SmallTable
        name={words.otherWays}
        heads={[
          words.wayHead,
          { num: words.onSite },
          { num: words.labour },
          { num: words.atTheOffice },
          { num: words.worst95(u.small) },
        ]}
        rows={days.ways.map((w) => ({
          key: w.way,
          said: w.said,
          cells: [
            <b key="way">{words.way[w.way]}</b>,
            span(w.site),
            span(w.labour),
            w.office > 0 ? span(w.office) : '–',
            w.error == null ? '–' : u.err(w.error),
          ],
        }))}
      />
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
    <SmallTable
      name={words.page.kit}
      heads={[words.what, words.countedFrom, { num: words.needed }, { num: words.spare }]}
      rows={days.kit.map((k) => ({
        key: k.what,
        cells: [k.what, k.said, k.count, k.spare > 0 ? k.spare : '–'],
      }))}
    />
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
      <SmallTable
        name={words.learned}
        heads={['', { num: words.planned }, { num: words.medianNoted }]}
        rows={[
          {
            key: 'set up',
            cells: [words.settingUp, span(days.settings.pace.set_up), l.set_up == null ? '–' : span(l.set_up)],
          },
          {
            key: 'walk',
            cells: [words.walkingPace(u.code), u.len(days.settings.walk, 2), l.walk == null ? '–' : u.len(l.walk, 2)],
          },
        ]}
      />
      {l.set_up == null && l.walk == null && <p className="faint">{words.fewerThanThree}</p>}
      {canEdit(of.job) && (l.set_up != null || l.walk != null) && (
        <Button onClick={take} loading={of.keep.isPending}>
          {words.planWithThisPace}
        </Button>
      )}
    </>
  )
}
