import { useQuery } from '@tanstack/react-query'
import { Button } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { canEdit, useChange, useJob } from '../lib/hooks'
import { num } from '../lib/format'
import { useUnits } from '../lib/units'
import { Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'

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
      <Head aside="for one scan of the whole field of view">Density</Head>
      <div className="fields" style={{ gridTemplateColumns: 'repeat(3, 1fr)' }}>
        <div className="field">
          <span className="label">At a range of</span>
          <LengthInput label="At a range of" value={range} onChange={setRange} />
        </div>
        <div className="field">
          <span className="label">Points apart at most</span>
          <LengthInput small label="Points apart at most" value={spacing} onChange={setSpacing} />
        </div>
        <div className="field">
          <span className="label">Range noise at most, 1σ</span>
          <LengthInput small label="Range noise at most" value={noise} onChange={setNoise} />
        </div>
      </div>
      {found.isError && <p className="warn">{found.error.message}</p>}
      {found.data && (
        <table className="ledger" aria-label="Density">
          <thead>
            <tr>
              <th>Instrument</th>
              <th>setting</th>
              <th className="num">noise, 1σ [{u.small}]</th>
              <th className="num">spheres to [{u.code}]</th>
              <th className="num">scan, with photos</th>
              <th className="num">points, storage</th>
              <th className="num">{count} scans</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {found.data.map((d) => (
              <tr key={d.instrument.name} className={d.own ? 'on' : ''}>
                <td style={{ whiteSpace: 'normal' }}>
                  {d.instrument.name}
                  {d.own && ' (this job)'}
                </td>
                {d.setting ? (
                  <>
                    <td>
                      {num(d.setting.step * 1e3, 2)} mrad, {d.setting.repeats}×<br />
                      <small className="faint">
                        {u.err(d.setting.spacing)} {u.small} apart
                      </small>
                    </td>
                    <td className="num">{u.err(d.setting.noise)}</td>
                    <td className="num">{u.len(d.setting.sphere_range, 1)}</td>
                    <td className="num">
                      {clock(d.setting.time)}
                      <br />
                      <small className="faint">{clock(d.setting.time_photographs)}</small>
                    </td>
                    <td className="num">
                      {num(d.setting.points / 1e6, 1)} million
                      <br />
                      <small className="faint">{num(d.setting.bytes / 1e9, 2)} GB</small>
                    </td>
                    <td className="num">
                      {num((d.setting.time * count) / 3600, 1)} h<br />
                      <small className="faint">{num((d.setting.bytes * count) / 1e9, 1)} GB</small>
                    </td>
                    <td>
                      {canEdit(job) && (
                        <Button size="small" onClick={() => use.mutate(d)}>
                          Use
                        </Button>
                      )}
                    </td>
                  </>
                ) : (
                  <td colSpan={7} className="faint" style={{ whiteSpace: 'normal' }}>
                    cannot: {d.refused}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="faint">
        Photographs not taken on site cannot be added later; those taken can be left unused. Times, battery and storage
        are those of the profiles in the brief.
      </p>
    </>
  )
}
