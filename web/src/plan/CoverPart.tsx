import type { Schema } from '../api/client'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head, Ledger } from '../parts'
import type { Item } from './usePlan'

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
      <Head
        aside={
          <>
            required surfaces covered {percent(cover.once)}, twice {percent(cover.twice)}
          </>
        }
      >
        Stations and cover
      </Head>
      <Ledger
        label="Stations"
        rows={cover.stations}
        id={(s) => s.station}
        selected={selected}
        onSelect={onSelect}
        empty="No stations."
        columns={[
          { head: 'Station', cell: (s) => s.name },
          { head: 'covers', num: true, cell: (s) => u.area(s.area) },
          { head: 'targets', num: true, cell: (s) => s.targets.length },
          { head: 'measures', cell: (s) => s.targets.map(name).join(' ') },
        ]}
      />
      <p>
        The day: {clock(cover.day.time)} from power-on, {clock(cover.day.walking)} of it walking; {cover.day.batteries}{' '}
        {cover.day.batteries === 1 ? 'battery' : 'batteries'}
        {cover.day.swaps.length > 0 &&
          `, changed before ${cover.day.swaps.map((k) => cover.stations[k]?.name).join(', ')}`}
        ; {num(cover.day.points / 1e6, 0)} million points, {num(cover.day.bytes / 1e9, 1)} GB.
      </p>
      {station && (
        <p className="faint">
          {station.name} does not cover:{' '}
          {Object.entries(station.missing)
            .map(([why, area]) => `${u.area(area)} ${why}`)
            .join(', ') || 'nothing'}
        </p>
      )}
      {cover.stations.length > 1 && (
        <>
          <Head aside="lines on the plan; red: one link alone holds">How they hang together</Head>
          <p>
            {cover.groups.length === 1
              ? 'All stations hang together'
              : `${cover.groups.length} groups: ${cover.groups.map((g) => g.join(' ')).join(' | ')}`}
            {bridges.length > 0 && `; by one link only: ${bridges.map((l) => `${l.from}–${l.to}`).join(', ')}`}
            {cover.cuts.length > 0 && `; without ${cover.cuts.join(', ')} they fall apart`}.
          </p>
          <Head aside="share [%] of what the column sees that the row sees too; under 30 is too little for clouds">
            Overlap
          </Head>
          <div style={{ overflowX: 'auto' }}>
            <table className="matrix" aria-label="Overlap matrix">
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
          <Head aside="3 or more, well placed, tie without clouds; 2 marks tie set-ups">Shared targets</Head>
          <Ledger
            label="Links"
            rows={cover.links.filter((l) => l.targets.length + l.marks.length > 0 || l.cloud95 != null)}
            id={(l) => `${l.from} ${l.to}`}
            empty="No two stations share a target."
            tone={(l) => (l.faults.length ? 'bad' : undefined)}
            columns={[
              { head: 'Between', cell: (l) => `${l.from}–${l.to}` },
              { head: 'overlap [%]', num: true, cell: (l) => num(100 * l.overlap, 0) },
              { head: 'shared', num: true, cell: (l) => l.targets.length + l.marks.length },
              { head: 'targets', cell: (l) => [...l.targets, ...l.marks].join(' ') },
              ...(cover.links.some((l) => l.cloud95 != null)
                ? [
                    {
                      head: <>clouds, 95 % [{u.small}]</>,
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
