import { Button, Input, Segmented, Select, Upload } from 'antd'
import { useMemo, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { CloudView } from '../cloud/CloudView'
import { canEdit, useChange, useJob, useKey, useRead } from '../lib/hooks'
import { UNIT_NAMES, useUnits } from '../lib/units'
import { Head, Ledger, VerdictCard } from '../parts'
import { LengthInput } from '../parts/LengthInput'

type Control = Schema['ControlRow']

/** Control, which of it is held back as check, and how the block fits. */
export default function Georeference() {
  const job = useJob()
  const u = useUnits()
  const edit = canEdit(job)
  const [model, setModel] = useState('levelled')
  const [refused, setRefused] = useState('')
  const control = useRead<Control[]>('/api/jobs/{job}/control')
  const georef = useRead<Schema['GeorefDto'] | null>('/api/jobs/{job}/georeference')
  const adjustment = useRead<Schema['AdjustmentDto'] | null>('/api/jobs/{job}/adjustment')
  const path = { params: { path: { job: job.id } } }
  const run = useChange(async () => {
    try {
      const r = unwrap(await api.POST('/api/jobs/{job}/georeference', { ...path, body: { model } }))
      setRefused('')
      return r
    } catch (e) {
      setRefused((e as Error).message)
      throw e
    }
  })
  const change = useChange(async (c: { point: Control; is_check?: boolean; target?: string | null }) =>
    unwrap(await api.PUT('/api/jobs/{job}/control/{point}', { params: { path: { job: job.id, point: c.point.id } }, body: { is_check: c.is_check ?? c.point.is_check, target: c.target === undefined ? c.point.target : c.target, version: c.point.version } })))
  useKey('g', () => run.mutate(undefined), edit)
  const g = georef.data?.result
  const shown = useMemo(() => ({ targets: g?.targets ?? [], ties: [] }), [g])
  const all = [...(g?.residuals ?? []), ...(g?.checks ?? [])]
  const names = adjustment.data?.result.targets.map((t) => t.name) ?? []
  const axis = (i: 0 | 1 | 2) => (c: Control) => {
    const r = all.find((x) => x.control === c.id)
    return r ? <span className={Math.abs(r.residual[i] ?? 0) > (r.expected[i] ?? 0) * 1.5 ? 'warn' : ''}>{u.err(r.residual[i])} <span className="faint">± {u.err(r.expected[i])}</span></span> : '–'
  }
  return (
    <div className="split">
      <div className="canvas">{g ? <CloudView frame="grid" {...shown} selected={null} /> : <div className="center"><p className="empty">The clouds are shown here on the grid once the block is fitted to control.</p></div>}</div>
      <aside className="side">
        {edit && <ControlFile />}
        <Head aside={`${control.data?.filter((c) => !c.is_check).length ?? 0} to fit, ${control.data?.filter((c) => c.is_check).length ?? 0} held back as check`}>Control</Head>
        <Ledger label="Control" rows={control.data ?? []} id={(c) => c.id} empty="No control yet. Paste or drop a file above." tone={(c) => ((all.find((x) => x.control === c.id)?.p_value ?? 1) < 0.001 ? 'bad' : undefined)} columns={[
          { head: 'Point', cell: (c) => c.name },
          { head: 'Use', cell: (c) => (edit ? <Button size="small" aria-label={`Use of ${c.name}`} aria-pressed={c.is_check} title="click to change" style={{ width: 66, padding: 0 }} onClick={() => change.mutate({ point: c, is_check: !c.is_check })}>{c.is_check ? 'check' : 'control'}</Button> : c.is_check ? 'check' : 'control') },
          { head: 'Target', cell: (c) => (edit ? <Select aria-label={`Target of ${c.name}`} size="small" style={{ width: 80 }} value={c.target ?? ''} onChange={(v) => change.mutate({ point: c, target: v || null })} options={[{ value: '', label: all.find((x) => x.control === c.id)?.target ?? 'by layout' }, ...names.map((value) => ({ value }))]} /> : (all.find((x) => x.control === c.id)?.target ?? '–')) },
          { head: <>dE ± 95 % [{u.small}]</>, num: true, cell: axis(0) }, { head: <>dN [{u.small}]</>, num: true, cell: axis(1) }, { head: <>dH [{u.small}]</>, num: true, cell: axis(2) },
          { head: 'p', num: true, cell: (c) => all.find((x) => x.control === c.id)?.p_value.toFixed(3) ?? '' },
        ]} />
        {edit && (
          <div className="bar">
            <Select aria-label="Model" value={model} onChange={setModel} style={{ width: 250 }} options={[{ value: 'levelled', label: 'Levelled: heading and shift (4)' }, { value: 'rigid', label: 'Rigid: turns and shift (6)' }, { value: 'similarity', label: 'With scale (7), to look for one' }]} />
            <Button type="primary" loading={run.isPending} disabled={(control.data?.length ?? 0) === 0} onClick={() => run.mutate(undefined)}>Fit to control</Button>
          </div>
        )}
        {refused && <VerdictCard tone="failed" title="Refused" evidence={[refused]} />}
        {georef.data?.stale && <p className="warn">The block or the control changed since this fit: it is out of date. Fit again.</p>}
        {g && (
          <>
            <VerdictCard tone={g.warnings.length || g.global_p < 0.001 ? 'doubtful' : 'sound'} title={g.warnings.length ? `On the grid, with ${g.warnings.length} remark${g.warnings.length === 1 ? '' : 's'}` : 'On the grid'}
              evidence={[`${g.residuals.length} control points, ${g.checks.length} check points, ${g.model} fit, p = ${g.global_p.toFixed(3)} with ${g.dof} degrees of freedom`, ...(g.model === 'similarity' ? [`scale ${g.scale.toFixed(7)} ± ${(g.scale_sigma * 1.96e6).toFixed(0)} ppm (95 %)`] : []), ...(g.unmatched.length ? [`not matched to a target: ${g.unmatched.join(', ')}`] : []), ...g.warnings]} />
            <Head>Targets on the grid</Head>
            <Ledger label="Targets on the grid" rows={g.targets} id={(t) => t.name} empty="None." columns={[
              { head: 'Target', cell: (t) => `${t.name}${all.find((r) => r.target === t.name) ? ` = ${all.find((r) => r.target === t.name)?.name}` : ''}` },
              ...(['E', 'N', 'H'] as const).map((a, i) => ({ head: `${a} [${u.code}]`, num: true, cell: (t: Schema['TargetDto']) => u.len(t.position[i], 4) })),
              { head: <>hor. 95 % [{u.small}]</>, num: true, cell: (t) => u.err(t.error.horizontal) }, { head: <>vert. [{u.small}]</>, num: true, cell: (t) => u.err(t.error.vertical) },
            ]} />
          </>
        )}
      </aside>
    </div>
  )
}

/** A control file: what was understood is shown before anything is stored. */
function ControlFile() {
  const job = useJob()
  const u = useUnits()
  const [text, setText] = useState('')
  const [order, setOrder] = useState<'auto' | 'ENH' | 'NEH'>('auto')
  const [unit, setUnit] = useState(u.code)
  const [sigmaH, setSigmaH] = useState<number | null>(0.002)
  const [sigmaV, setSigmaV] = useState<number | null>(0.002)
  const [preview, setPreview] = useState<Schema['ControlPreview'] | null>(null)
  const [wrong, setWrong] = useState('')
  const body = { text, order: order === 'auto' ? null : order, unit, sigma_h: sigmaH ?? 0, sigma_v: sigmaV ?? 0, replace: false }
  const path = { params: { path: { job: job.id } } }
  const look = useChange(async (b: typeof body) => {
    try {
      setPreview(unwrap(await api.POST('/api/jobs/{job}/control/preview', { ...path, body: b })))
      setWrong('')
    } catch (e) {
      setPreview(null)
      setWrong((e as Error).message)
    }
  })
  const store = useChange(async () => unwrap(await api.POST('/api/jobs/{job}/control', { ...path, body })), () => { setText(''); setPreview(null) })
  const put = (t: string) => { setText(t); setPreview(null); setWrong('') }
  return (
    <>
      <Head aside="name and E N H or N E H; comma, semicolon, tab or blanks">Control file</Head>
      <Input.TextArea aria-label="Control text" rows={3} value={text} onChange={(e) => put(e.target.value)} placeholder={'Paste here, for example\nCP101; 412350.123; 5604820.456; 88.012'} />
      <div className="bar">
        <Upload accept=".csv,.txt" showUploadList={false} beforeUpload={(f) => { void f.text().then(put); return false }}><Button>Open file</Button></Upload>
        <Segmented<'auto' | 'ENH' | 'NEH'> value={order} onChange={(v) => { setOrder(v); setPreview(null) }} options={[{ value: 'auto', label: 'by heading' }, { value: 'ENH', label: 'E N H' }, { value: 'NEH', label: 'N E H' }]} />
        <Select aria-label="Unit of the file" value={unit} onChange={(v) => { setUnit(v); setPreview(null) }} style={{ width: 190 }} options={Object.entries(UNIT_NAMES).map(([value, label]) => ({ value, label: `${label} (${value})` }))} />
        <span className="faint">1σ</span><div style={{ width: 96 }}><LengthInput small label="Sigma horizontal" value={sigmaH} onChange={setSigmaH} /></div><div style={{ width: 96 }}><LengthInput small label="Sigma vertical" value={sigmaV} onChange={setSigmaV} /></div>
        <Button disabled={!text.trim()} onClick={() => look.mutate(body)}>Show what is understood</Button>
      </div>
      {wrong && <p role="alert" style={{ color: 'var(--red)' }}>{wrong}</p>}
      {preview && (
        <>
          <p>{preview.points.length} points, separated by {preview.separator}, columns {preview.order === 'ENH' ? 'easting, northing, height' : 'northing, easting, height'}{preview.order_from_heading ? ' (said by the heading)' : ''}. {preview.remarks.map((r) => <span key={r} className="warn">{r}. </span>)}</p>
          <Ledger label="Preview" rows={preview.points} id={(p) => p.name} empty="" columns={[
            { head: 'Line', num: true, cell: (p) => p.line }, { head: 'Point', cell: (p) => p.name },
            { head: `E [${u.code}]`, num: true, cell: (p) => u.len(p.e, 4) }, { head: `N [${u.code}]`, num: true, cell: (p) => u.len(p.n, 4) }, { head: `H [${u.code}]`, num: true, cell: (p) => u.len(p.h, 4) },
          ]} />
          <div className="bar"><Button type="primary" loading={store.isPending} onClick={() => store.mutate(undefined)}>Store these {preview.points.length} points</Button></div>
        </>
      )}
    </>
  )
}
