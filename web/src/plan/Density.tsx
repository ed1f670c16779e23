import { useQuery } from '@tanstack/react-query'
import { Button } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { plan as words } from '../words'

/** For this range and this spacing: which setting, and what it costs, instrument beside instrument. */
export function Density({ count }: { count: number }) {
  const job = useJob()
  const u = useUnits()
  const [range, setRange] = useState<number | null>(20)
  const [spacing, setSpacing] = useState<number | null>(0.02)
  const [noise, setNoise] = useState<number | null>(0.002)
  const found = useQuery({
    queryKey: ['job', job.id, 'density', range, spacing, noise, job.version],
    enabled: !!range && !!spacing,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/jobs/{job}/plan/density', {
          params: { path: { job: job.id }, query: { range: range!, spacing: spacing!, noise: noise ?? undefined } },
        }),
      ),
  })
  const use = useChange(async (i: Schema['DensityDto']) => {
    const s = i.setting!
    const time = s.time / s.repeats
    const instrument = {
      ...i.instrument,
      step: s.step,
      scan_time: time * s.repeats,
      range_sigma: i.instrument.range_sigma / Math.sqrt(s.repeats),
      range_sigma_per_m: i.instrument.range_sigma_per_m / Math.sqrt(s.repeats),
      name: i.instrument.name,
    }
    return unwrap(
      await api.PUT('/api/jobs/{job}', {
        params: { path: { job: job.id } },
        body: { name: job.name, brief: { ...job.brief, instrument }, version: job.version },
      }),
    )
  })
  const clock = (s: number) => `${Math.floor(s / 60)}:${String(Math.round(s % 60)).padStart(2, '0')}`
  return (
    <>
      <Head aside={words.forOneScanOf}>{words.density}</Head>
      <div className="fields" style={{ gridTemplateColumns: 'repeat(3, 1fr)' }}>
        <div className="field">
          <span className="label">{words.atARangeOf}</span>
          <LengthInput label={words.atARangeOf} value={range} onChange={setRange} />
        </div>
        <div className="field">
          <span className="label">{words.pointsApartAtMost}</span>
          <LengthInput small label={words.pointsApartAtMost} value={spacing} onChange={setSpacing} />
        </div>
        <div className="field">
          <span className="label">{words.rangeNoiseAtMost}</span>
          <LengthInput small label={words.rangeNoiseAtMost2} value={noise} onChange={setNoise} />
        </div>
      </div>
      {found.isError && <p className="warn">{found.error.message}</p>}
      {found.data && (
        <table className="ledger" aria-label={words.density}>
          <thead>
            <tr>
              <th>{words.instrument}</th>
              <th>{words.setting}</th>
              <th className="num">{words.noise1(u.small)}</th>
              <th className="num">{words.spheresTo(u.code)}</th>
              <th className="num">{words.scanWithPhotos}</th>
              <th className="num">{words.pointsStorage}</th>
              <th className="num">{words.scans(count)}</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {found.data.map((d) => (
              <tr key={d.instrument.name} className={d.own ? 'on' : ''}>
                <td style={{ whiteSpace: 'normal' }}>
                  {d.instrument.name}
                  {d.own && words.thisJob}
                </td>
                {d.setting ? (
                  <>
                    <td>
                      {words.mrad(num(d.setting.step * 1e3, 2), d.setting.repeats)}
                      <br />
                      <small className="faint">{words.apart(u.err(d.setting.spacing), u.small)}</small>
                    </td>
                    <td className="num">{u.err(d.setting.noise)}</td>
                    <td className="num">{u.len(d.setting.sphere_range, 1)}</td>
                    <td className="num">
                      {clock(d.setting.time)}
                      <br />
                      <small className="faint">{clock(d.setting.time_photographs)}</small>
                    </td>
                    <td className="num">
                      {words.million(num(d.setting.points / 1e6, 1))}
                      <br />
                      <small className="faint">{words.gb(num(d.setting.bytes / 1e9, 2))}</small>
                    </td>
                    <td className="num">
                      {num((d.setting.time * count) / 3600, 1)} h<br />
                      <small className="faint">{words.gb(num((d.setting.bytes * count) / 1e9, 1))}</small>
                    </td>
                    <td>
                      {canEdit(job) && (
                        <Button size="small" onClick={() => use.mutate(d)}>
                          {words.use}
                        </Button>
                      )}
                    </td>
                  </>
                ) : (
                  <td colSpan={7} className="faint" style={{ whiteSpace: 'normal' }}>
                    {words.cannot}
                    {d.refused}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="faint">{words.photographsNotTakenOn}</p>
    </>
  )
}
