import type { Schema } from '../api/client'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head, Ledger } from '../parts'
import type { Item } from './usePlan'
import { plan as words } from '../words'

/** What each station covers, and how the stations hang together. */
export function CoverPart({
  cover,
  items,
  at,
  selected,
  onSelect,
}: {
  cover: Schema['CoverDto']
  items: Item[]
  at: number
  selected: string | null
  onSelect: (id: string | null) => void
}) {
  const u = useUnits()
  const name = (id: string) => items.find((i) => i.id === id)?.data.name ?? '?'
  const percent = (v: number | null | undefined) => (v == null ? '–' : `${num(v * 100, 1)} %`)
  const station = cover.stations[at]
  const clock = (s: number) => {
    const m = Math.round(s / 60)
    return `${Math.floor(m / 60)}:${String(m % 60).padStart(2, '0')} h`
  }
  const bridges = cover.links.filter((l) => l.bridge)
  return (
    <>
      <Head aside={<>{words.requiredSurfacesCoveredTwice(percent(cover.once), percent(cover.twice))}</>}>
        {words.stationsAndCover}
      </Head>
      <Ledger
        label={words.stationsTitle}
        rows={cover.stations}
        id={(s) => s.station}
        selected={selected}
        onSelect={onSelect}
        empty={words.noStations}
        columns={[
          { head: words.station, cell: (s) => s.name },
          { head: words.covers, num: true, cell: (s) => u.area(s.area) },
          { head: words.targets, num: true, cell: (s) => s.targets.length },
          { head: words.measures, cell: (s) => s.targets.map(name).join(' ') },
        ]}
      />
      <p>
        {words.theDayFromPower(
          clock(cover.day.time),
          clock(cover.day.walking),
          cover.day.batteries,
          cover.day.batteries === 1 ? words.battery : words.batteries,
        )}
        {cover.day.swaps.length > 0 &&
          words.changedBefore(cover.day.swaps.map((k) => cover.stations[k]?.name).join(', '))}
        {words.millionPointsGb(num(cover.day.points / 1e6, 0), num(cover.day.bytes / 1e9, 1))}
      </p>
      {station && (
        <p className="faint">
          {words.doesNotCover(
            station.name,
            Object.entries(station.missing)
              .map(([why, area]) => `${u.area(area)} ${why}`)
              .join(', ') || words.nothing,
          )}
        </p>
      )}
      {cover.stations.length > 1 && (
        <>
          <Head aside={words.linesOnThePlan}>{words.howTheyHangTogether}</Head>
          <p>
            {cover.groups.length === 1
              ? words.allStationsHangTogether
              : words.groups(cover.groups.length, cover.groups.map((g) => g.join(' ')).join(' | '))}
            {bridges.length > 0 && words.byOneLinkOnly(bridges.map((l) => `${l.from}–${l.to}`).join(', '))}
            {cover.cuts.length > 0 && words.withoutTheyFallApart(cover.cuts.join(', '))}.
          </p>
          <Head aside={words.shareOfWhatThe}>{words.overlap}</Head>
          <div style={{ overflowX: 'auto' }}>
            <table className="matrix" aria-label={words.overlapMatrix}>
              <thead>
                <tr>
                  <th />
                  {cover.stations.map((s) => (
                    <th key={s.station}>{s.name}</th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {cover.overlap.map((row, i) => (
                  <tr key={i}>
                    <th>{cover.stations[i]?.name}</th>
                    {row.map((v, j) => (
                      <td key={j} className={cellTone(i === j, v)}>
                        {i === j ? '' : num(v * 100, 0)}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <Head aside={words.n3OrMoreWell}>{words.sharedTargets}</Head>
          <Ledger
            label={words.links}
            rows={cover.links.filter((l) => l.targets.length + l.marks.length > 0 || l.cloud95 != null)}
            id={(l) => `${l.from} ${l.to}`}
            empty={words.noTwoStationsShare}
            tone={(l) => (l.faults.length ? 'bad' : undefined)}
            columns={[
              { head: words.between, cell: (l) => `${l.from}–${l.to}` },
              { head: words.overlap2, num: true, cell: (l) => num(100 * l.overlap, 0) },
              { head: words.shared, num: true, cell: (l) => l.targets.length + l.marks.length },
              { head: words.targets, cell: (l) => [...l.targets, ...l.marks].join(' ') },
              ...(cover.links.some((l) => l.cloud95 != null)
                ? [
                    {
                      head: <>{words.clouds95(u.small)}</>,
                      num: true,
                      cell: (l: Schema['LinkDto']) => (l.cloud95 == null ? '–' : u.err(l.cloud95)),
                    },
                  ]
                : []),
              { head: '', cell: (l) => l.faults.join(', ') },
            ]}
          />
        </>
      )}
    </>
  )
}

function cellTone(self: boolean, overlap: number) {
  if (self) return 'self'
  return overlap < 0.3 ? 'low' : ''
}
