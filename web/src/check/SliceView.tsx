import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Button, InputNumber, Segmented } from 'antd'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { count } from '../lib/count'
import { useChange, useJob } from '../lib/hooks'
import { HALO, INK, RED } from '../lib/palette'
import { useTheme } from '../lib/settings'
import { type Units, useUnits } from '../lib/units'
import { LengthInput } from '../parts/LengthInput'
import { begin, onWheel, scaleBar } from '../register/draw'
import { check as words } from '../words'
import {
  between,
  type Cut,
  type CutOut,
  drawMarks,
  lookOf,
  MARKS,
  moved,
  type Place,
  thicker,
  upright,
  zoomed,
} from './slicing'

type Tool = 'move' | 'measure' | 'section' | 'outline'
type Offsets = Schema['OffsetsDto']
/** What was cut, and for which slice. */
interface Shown {
  cut: Cut
  out: CutOut
}

/** A slice through all scans, each with its mark: dragged, drawn nearer, stepped through, measured in. */
export function SliceView(p: {
  cut: Cut
  onCut: (c: Cut, jump?: boolean) => void
  /** The scans it is about; the others are hidden at first. */
  pair?: string[] | null
  /** Takes points out by what is drawn here; none where nobody may. */
  onTakeOut?: (asked: Schema['CleanDto']) => void
  frame: string
}) {
  const { cut, onCut, pair } = p
  const [tool, setTool] = useState<Tool>('move')
  const [chosen, setHidden] = useState<string[] | null>(null)
  // corners keep the slice that they were begun in, so that one may shift and go nearer between them
  const [drawn, setDrawn] = useState<{ base: Cut; line: Place[] } | null>(null)
  const off = drawn && between(drawn.base, cut)
  const line = drawn && off ? drawn.line.map(([x, y]): Place => [x + off[0], y + off[1]]) : []
  const shown = useCut(cut)
  const measure = useOffsets(cut)
  const level = cut.tilt < 1
  const active: Tool = tool === 'section' && !level ? 'move' : tool
  const tools = (['move', 'measure', 'section', ...(p.onTakeOut ? ['outline'] : [])] as Tool[]).map((value) => ({
    value,
    label: words.sliceTools[value],
    disabled: value === 'section' && !level,
  }))
  const finish = (from: Place, to: Place) => {
    if (active === 'measure') return measure.run(from, to)
    if (active === 'outline') return setDrawn({ base: cut, line: [...line, to] })
    const along = upright(cut, from, to)
    if (along) onCut(along, true)
    setTool('move')
  }
  const hidden = useMemo(() => {
    const others = () => (shown.data?.out.scans ?? []).filter((s) => !pair?.includes(s.scan)).map((s) => s.scan)
    return chosen ?? (pair ? others() : [])
  }, [chosen, pair, shown.data])
  const scans = useMemo(
    () => (shown.data?.out.scans ?? []).filter((s) => !hidden.includes(s.scan)),
    [shown.data, hidden],
  )
  return (
    <div className="slice-view">
      <div className="bar">
        <Segmented size="small" value={active} options={tools} onChange={setTool} />
        <Plane cut={cut} onCut={onCut} />
      </div>
      <SliceCanvas
        cut={cut}
        shown={shown.data}
        scans={scans}
        tool={active}
        offsets={measure.found}
        line={active === 'outline' ? line : []}
        onCut={onCut}
        onDrawn={finish}
      />
      {active === 'outline' && p.onTakeOut && (
        <TakeOut cut={cut} frame={p.frame} line={line} onClear={() => setDrawn(null)} onTakeOut={p.onTakeOut} />
      )}
      <Legend of={shown.data?.out.scans ?? []} hidden={hidden} onHide={setHidden} />
      <p className="faint">{words.sliceKeys}</p>
      {measure.found && <Found of={measure.found} />}
      {measure.refused && <p className="bad">{measure.refused}</p>}
    </div>
  )
}

/** What becomes of an outline. */
function TakeOut(p: {
  cut: Cut
  frame: string
  line: Place[]
  onClear: () => void
  onTakeOut: (asked: Schema['CleanDto']) => void
}) {
  const { cut, frame, line } = p
  const ask = (asked: Schema['CleanDto']) => {
    p.onTakeOut(asked)
    p.onClear()
  }
  const outline = (outside: boolean) => ask({ what: 'outline', options: { frame, cut, line, outside } })
  const closed = line.length > 2
  return (
    <>
      <p className="faint">
        {words.chooseInTheSlice} {line.length > 0 && words.corners(line.length)}
      </p>
      <div className="bar">
        <Button size="small" type="primary" disabled={!closed} onClick={() => outline(false)}>
          {words.takeOutInside}
        </Button>
        <Button size="small" disabled={!closed} onClick={() => outline(true)}>
          {words.takeOutOutside}
        </Button>
        <Button size="small" onClick={() => ask({ what: 'behind', options: { frame, cut } })}>
          {words.takeOutBehind}
        </Button>
        <Button size="small" type="text" disabled={line.length === 0} onClick={p.onClear}>
          {words.clearTheOutline}
        </Button>
      </div>
    </>
  )
}

/** What lies in the slice, once it is left where it is for a moment. */
function useCut(cut: Cut) {
  const job = useJob()
  const [wanted, setWanted] = useState(cut)
  useEffect(() => {
    const later = setTimeout(() => setWanted(cut), 160)
    return () => clearTimeout(later)
  }, [cut])
  return useQuery({
    queryKey: ['job', job.id, 'slices', 'cut', wanted],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }): Promise<Shown> => ({
      cut: wanted,
      out: unwrap(
        await api.POST('/api/jobs/{job}/slices/cut', { params: { path: { job: job.id } }, body: wanted, signal }),
      ),
    }),
  })
}

function useOffsets(cut: Cut) {
  const job = useJob()
  const [found, setFound] = useState<(Offsets & { cut: Cut }) | null>(null)
  const [refused, setRefused] = useState('')
  const run = useChange(async (of: { from: Place; to: Place }) => {
    const read = await api.POST('/api/jobs/{job}/slices/offsets', {
      params: { path: { job: job.id } },
      body: { cut, ...of },
    })
    setFound(read.data ? { ...read.data, cut } : null)
    setRefused(read.error ? read.error.error : '')
  })
  return {
    found: found && between(found.cut, cut) ? found : null,
    refused,
    run: (from: Place, to: Place) => run.mutate({ from, to }),
  }
}

/** How thick, which way, how steep. */
function Plane({ cut, onCut }: { cut: Cut; onCut: (c: Cut) => void }) {
  const angle = (label: string, value: number, most: number, set: (v: number) => Cut) => (
    <label className="in-row">
      {label}
      <InputNumber
        size="small"
        aria-label={label}
        style={{ width: 76 }}
        controls={false}
        suffix="°"
        min={0}
        max={most}
        value={Number(value.toFixed(1))}
        onChange={(v) => v != null && onCut(set(v))}
      />
    </label>
  )
  return (
    <>
      <label className="in-row">
        {words.thickness}
        <span style={{ width: 92 }}>
          <LengthInput
            label={words.thickness}
            small
            dense
            digits={0}
            value={cut.thickness}
            onChange={(m) => m != null && m >= 0.001 && m <= 5 && onCut({ ...cut, thickness: m })}
          />
        </span>
      </label>
      {angle(words.bearingToTheRight, cut.bearing, 360, (bearing) => ({ ...cut, bearing }))}
      {angle(words.steepness, cut.tilt, 90, (tilt) => ({ ...cut, tilt }))}
    </>
  )
}

interface Drawn {
  cut: Cut
  shown: Shown | undefined
  scans: CutOut['scans']
  tool: Tool
  offsets: Offsets | null
  /** An outline on its way. */
  line: Place[]
  onCut: (c: Cut) => void
  onDrawn: (from: Place, to: Place) => void
}

function SliceCanvas(p: Drawn) {
  const u = useUnits()
  const theme = useTheme()
  const canvas = useRef<HTMLCanvasElement>(null)
  const [drag, setDrag] = useState<[Place, Place] | null>(null)
  const last = useRef(p)
  useEffect(() => {
    last.current = p
  })
  useEffect(() => {
    const c = canvas.current
    if (c) drawSlice(c, p, drag, u)
  })
  const place = useCallback((e: { clientX: number; clientY: number }): Place => {
    const r = canvas.current!.getBoundingClientRect()
    const scale = last.current.cut.width / r.width
    return [(e.clientX - r.left - r.width / 2) * scale, (r.top + r.height / 2 - e.clientY) * scale]
  }, [])
  useEffect(() => {
    const c = canvas.current
    if (!c) return undefined
    return onWheel(c, (by, e) => {
      const { cut, onCut } = last.current
      onCut(e.shiftKey ? thicker(cut, by) : zoomed(cut, 1 / by, place(e)))
    })
  }, [place, theme])
  const scale = () => p.cut.width / (canvas.current?.clientWidth || 1)
  return (
    <canvas
      ref={canvas}
      tabIndex={0}
      role="img"
      aria-label={words.sliceOf(p.scans.map((s) => s.name).join(', '))}
      className={p.tool}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId)
        if (p.tool !== 'move') setDrag([place(e), place(e)])
      }}
      onPointerMove={(e) => {
        if (!e.buttons) return
        if (drag) setDrag([drag[0], place(e)])
        else if (p.tool === 'move') p.onCut(moved(p.cut, -e.movementX * scale(), e.movementY * scale()))
      }}
      onPointerUp={() => {
        if (drag) p.onDrawn(...drag)
        setDrag(null)
      }}
      onKeyDown={(e) => {
        const next = keyed(p.cut, e.key, e.shiftKey)
        if (!next) return
        e.preventDefault()
        p.onCut(next)
      }}
    />
  )
}

/** What a key does: steps out of the plane by the thickness (with shift ten times that), sideways, nearer, thicker. */
function keyed(c: Cut, key: string, shift: boolean): Cut | null {
  const step = c.thickness * (shift ? 10 : 1)
  switch (key) {
    case 'ArrowUp':
      return moved(c, 0, 0, -step)
    case 'ArrowDown':
      return moved(c, 0, 0, step)
    case 'ArrowLeft':
      return moved(c, -c.width / 10, 0)
    case 'ArrowRight':
      return moved(c, c.width / 10, 0)
    case '+':
      return zoomed(c, 1 / 1.5, [0, 0])
    case '-':
      return zoomed(c, 1.5, [0, 0])
    case '[':
      return thicker(c, 1 / 1.5)
    case ']':
      return thicker(c, 1.5)
    default:
      return null
  }
}

/** More points than this are drawn as dots. */
const MANY = 12_000

function drawSlice(c: HTMLCanvasElement, p: Drawn, drag: [Place, Place] | null, u: Units) {
  const started = begin(c)
  if (!started) return
  const [g, w, h] = started
  const scale = w / p.cut.width
  const off = p.shown && between(p.shown.cut, p.cut)
  const to = ([x, y]: Place): Place => [w / 2 + x * scale, h / 2 - y * scale]
  if (off) {
    const all = p.scans.reduce((n, s) => n + s.points.length / 2, 0)
    const size = all > MANY ? 1.1 : Math.min(3.4, Math.max(2.2, 160 / Math.sqrt(all)))
    for (const s of p.scans) {
      const look = lookOf(s.number)
      g.fillStyle = g.strokeStyle = look.colour
      g.lineWidth = 1.1
      const places: Place[] = []
      for (let k = 0; k + 1 < s.points.length; k += 2)
        places.push(to([s.points[k]! * 1e-4 + off[0], s.points[k + 1]! * 1e-4 + off[1]]))
      drawMarks(g, look.mark, places, size)
    }
  }
  if (p.offsets) {
    const [x, y] = to(p.offsets.middle as Place)
    const [nx, ny] = p.offsets.normal as Place
    g.strokeStyle = RED
    g.lineWidth = 2
    g.beginPath()
    g.moveTo(x, y)
    g.lineTo(x + nx * 46, y - ny * 46)
    g.stroke()
    g.beginPath()
    g.arc(x + nx * 46, y - ny * 46, 3.5, 0, 7)
    g.stroke()
  }
  if (p.line.length > 0) {
    g.strokeStyle = RED
    g.lineWidth = 1.6
    g.beginPath()
    p.line.forEach((at, k) => (k === 0 ? g.moveTo(...to(at)) : g.lineTo(...to(at))))
    if (p.line.length > 2) g.closePath()
    g.stroke()
  }
  if (drag && p.tool !== 'outline') {
    const [a, b] = [to(drag[0]), to(drag[1])]
    g.strokeStyle = p.tool === 'section' ? INK : HALO
    g.lineWidth = 1.5
    g.beginPath()
    if (p.tool === 'section') {
      g.moveTo(...a)
      g.lineTo(...b)
    } else g.rect(a[0], a[1], b[0] - a[0], b[1] - a[1])
    g.stroke()
  }
  scaleBar(g, h, scale * u.metres, u.code)
}

/** Which scan has which mark; each can be hidden. */
function Legend(p: { of: CutOut['scans']; hidden: string[]; onHide: (h: string[]) => void }) {
  if (p.of.length === 0) return <p className="faint">{words.nothingInTheSlice}</p>
  const toggle = (id: string) => (p.hidden.includes(id) ? p.hidden.filter((h) => h !== id) : [...p.hidden, id])
  return (
    <div className="bar slice-legend" role="group" aria-label={words.scansInTheSlice}>
      {[...p.of]
        .sort((a, b) => a.number - b.number)
        .map((s) => (
          <button
            key={s.scan}
            type="button"
            className="link"
            aria-pressed={!p.hidden.includes(s.scan)}
            onClick={() => p.onHide(toggle(s.scan))}
          >
            <b style={{ color: lookOf(s.number).colour }}>{MARKS[lookOf(s.number).mark]}</b> {s.name}{' '}
            <span className="faint">{count(s.count)}</span>
          </button>
        ))}
    </div>
  )
}

/** How far the scans lie beside the one that shows most. */
function Found({ of }: { of: Offsets }) {
  const u = useUnits()
  if (of.scans.length === 0) return <p>{words.onlyOneThere(of.beside)}</p>
  return (
    <table className="ledger" aria-label={words.offsetsMeasured}>
      <thead>
        <tr>
          <th scope="col">{words.scan}</th>
          <th scope="col" className="num">
            {words.besideAlongTheMark(of.beside, u.small)}
          </th>
          <th scope="col">{words.toldFrom0}</th>
        </tr>
      </thead>
      <tbody>
        {of.scans.map((s) => {
          const beyond = Math.abs(s.offset) > s.offset95
          return (
            <tr key={s.name}>
              <td>{s.name}</td>
              <td className="num">
                {u.err(s.offset)} ± {u.err(s.offset95)}
              </td>
              <td className={beyond ? 'bad' : ''}>{beyond ? words.beyondNoise : words.withinNoise}</td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}
