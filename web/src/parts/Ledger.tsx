import { useVirtualizer } from '@tanstack/react-virtual'
import { Button, Checkbox, Input, Popover } from 'antd'
import {
  type KeyboardEvent,
  memo,
  type MouseEvent,
  type PointerEvent,
  type ReactNode,
  useCallback,
  useEffect,
  useMemo,
  useRef,
  useState,
} from 'react'
import { count } from '../lib/count'
import { arrange, asText, type Column, type Sort, textOf, widths } from './ledger'
import { common as words } from '../words'

/** From so many rows on there is a search, and from so many only what is in view is drawn. */
const SEARCHED = 12
const VIRTUAL = 60
const ROW = 26

interface Props<T> {
  rows: T[]
  id: (row: T) => string
  columns: Column<T>[]
  selected?: string | null
  onSelect?: (id: string | null) => void
  /** Several at once: with shift and ctrl, by mouse and by keys. */
  picked?: string[]
  onPick?: (ids: string[]) => void
  tone?: (row: T) => string | undefined
  empty: string
  label: string
}

/** A dense table: words left, numbers right and aligned, the unit in the heading. It sorts by its heads, searches, hides
 * columns, is walked through by keys, and goes to a spreadsheet. */
export function Ledger<T>(p: Props<T>) {
  if (p.rows.length === 0) return <p className="empty">{p.empty}</p>
  return <Filled {...p} />
}

function useKept<V>(key: string, first: V): [V, (v: V) => void] {
  const [value, set] = useState<V>(() => {
    try {
      return (JSON.parse(localStorage.getItem(key) ?? 'null') as V) ?? first
    } catch {
      return first
    }
  })
  return [
    value,
    (v) => {
      localStorage.setItem(key, JSON.stringify(v))
      set(v)
    },
  ]
}

function Filled<T>(p: Props<T>) {
  const { rows, columns, label } = p
  const [sort, setSort] = useState<Sort | null>(null)
  const [search, setSearch] = useState('')
  const [hidden, setHidden] = useKept<number[]>(`vistazo-hidden ${label}`, [])
  const [sized, setSized] = useKept<Record<number, number>>(`vistazo-widths ${label}`, {})
  const shown = useMemo(() => arrange(rows, columns, sort, search), [rows, columns, sort, search])
  const visible = columns.map((_, k) => k).filter((k) => !hidden.includes(k))
  const virtual = rows.length > VIRTUAL
  const box = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library
  const view = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 16,
    enabled: virtual,
  })
  const items = virtual ? view.getVirtualItems() : []
  const [from, to] = virtual ? [items[0]?.index ?? 0, (items.at(-1)?.index ?? -1) + 1] : [0, shown.length]
  const [above, below] = virtual ? [items[0]?.start ?? 0, view.getTotalSize() - (items.at(-1)?.end ?? 0)] : [0, 0]
  const fixed = useMemo(() => (virtual ? widths(rows, columns) : []), [virtual, rows, columns])
  const width = (k: number) => sized[k] ?? fixed[k] ?? columns[k]?.width
  const pick = usePick(p, shown)
  const live = useRef({ pick, shown })
  useEffect(() => {
    live.current = { pick, shown }
  })
  const onRow = useCallback((e: MouseEvent, id: string) => live.current.pick.click(e, id, live.current.shown), [])
  const scrollTo = (k: number) => (virtual ? view.scrollToIndex(k) : undefined)
  useShown(p, shown, box, scrollTo)
  const heads = visible.map((k) => (
    <Head
      key={k}
      column={columns[k]!}
      sort={sort?.column === k ? sort : null}
      width={width(k)}
      onSort={() => setSort(nextSort(sort, k))}
      onWidth={(w) => setSized({ ...sized, [k]: w })}
    />
  ))
  return (
    <div className="ledger-box">
      {rows.length >= SEARCHED && (
        <Tools
          label={label}
          search={search}
          setSearch={setSearch}
          found={shown.length}
          all={rows.length}
          columns={columns}
          hidden={hidden}
          setHidden={setHidden}
          text={(d) =>
            asText(
              pick.chosen(shown),
              visible.map((k) => columns[k]!),
              d,
            )
          }
        />
      )}
      <div ref={box} className={virtual ? 'ledger-scroll' : ''} data-rows={shown.length}>
        <table
          className="ledger"
          aria-label={label}
          aria-rowcount={virtual ? shown.length : undefined}
          style={
            virtual
              ? {
                  tableLayout: 'fixed',
                  width: Math.max(...[visible.reduce((s, k) => s + (width(k) ?? 80), 0)]),
                  minWidth: '100%',
                }
              : undefined
          }
          onKeyDown={(e) =>
            pick.key(
              e,
              shown,
              () =>
                asText(
                  pick.chosen(shown),
                  visible.map((k) => columns[k]!),
                  '\t',
                ),
              scrollTo,
            )
          }
        >
          <thead>
            <tr>{heads}</tr>
          </thead>
          <tbody>
            {above > 0 && (
              <tr aria-hidden="true">
                <td colSpan={visible.length} style={{ height: above, padding: 0, border: 0 }} />
              </tr>
            )}
            {shown.slice(from, to).map((row, k) => {
              const id = p.id(row)
              return (
                <Row
                  key={id}
                  id={id}
                  row={row}
                  columns={columns}
                  hidden={hidden}
                  index={virtual ? from + k + 1 : undefined}
                  on={pick.is(id)}
                  tone={p.tone?.(row)}
                  tab={pick.can ? pick.tab(id, from + k === 0) : undefined}
                  onClick={onRow}
                />
              )
            })}
            {below > 0 && (
              <tr aria-hidden="true">
                <td colSpan={visible.length} style={{ height: below, padding: 0, border: 0 }} />
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </div>
  )
}

interface RowProps<T> {
  id: string
  row: T
  columns: Column<T>[]
  hidden: number[]
  index: number | undefined
  on: boolean
  tone: string | undefined
  /** In the order of the tabulator; none where rows are not picked. */
  tab: number | undefined
  onClick: (e: MouseEvent, id: string) => void
}

/** One row, drawn again only when something of it changes: scrolling draws those that come. */
const Row = memo(function Row<T>(p: RowProps<T>) {
  const can = p.tab !== undefined
  return (
    <tr
      data-id={p.id}
      aria-rowindex={p.index}
      className={`${p.on ? 'on' : ''} ${p.tone ?? ''} ${can ? 'pick' : ''}`}
      tabIndex={p.tab}
      aria-selected={can ? p.on : undefined}
      onClick={can ? (e) => p.onClick(e, p.id) : undefined}
    >
      {p.columns.map(
        (c, k) =>
          !p.hidden.includes(k) && (
            <td key={k} className={c.num ? 'num' : ''}>
              {c.cell(p.row)}
            </td>
          ),
      )}
    </tr>
  )
}) as <T>(p: RowProps<T>) => ReactNode

/** The row of an identifier, where it is drawn. */
const rowOf = (el: HTMLElement | null, id: string) =>
  [...(el?.querySelectorAll<HTMLElement>('tr[data-id]') ?? [])].find((r) => r.dataset.id === id)

/** Up, down, as it came. */
function nextSort(sort: Sort | null, k: number): Sort | null {
  if (sort?.column !== k) return { column: k, down: false }
  return sort.down ? null : { column: k, down: true }
}

/** What is picked elsewhere comes into view here. */
function useShown<T>(
  p: Props<T>,
  shown: T[],
  box: React.RefObject<HTMLDivElement | null>,
  scrollTo: (k: number) => void,
) {
  const one = p.selected ?? p.picked?.at(-1)
  const live = useRef({ shown, scrollTo, id: p.id })
  useEffect(() => {
    live.current = { shown, scrollTo, id: p.id }
  })
  useEffect(() => {
    if (!one) return
    const k = live.current.shown.findIndex((r) => live.current.id(r) === one)
    if (k < 0) return
    live.current.scrollTo(k)
    rowOf(box.current, one)?.scrollIntoView?.({ block: 'nearest' })
  }, [one, box])
}

/** Picking by mouse and keys. */
function usePick<T>(p: Props<T>, shown: T[]) {
  const anchor = useRef<string | null>(null)
  const [at, setAt] = useState<string | null>(null)
  const can = !!(p.onSelect ?? p.onPick)
  const is = (id: string) => p.selected === id || !!p.picked?.includes(id)
  const set = (ids: string[]) => (p.onPick ? p.onPick(ids) : p.onSelect?.(ids.at(-1) ?? null))
  const between = (a: string, b: string, rows: T[]) => {
    const ids = rows.map(p.id)
    const [i, k] = [ids.indexOf(a), ids.indexOf(b)]
    return i < 0 ? [b] : ids.slice(Math.min(i, k), Math.max(i, k) + 1)
  }
  const choose = (id: string, rows: T[], e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    setAt(id)
    if (p.onPick && e.shiftKey && anchor.current) return set(between(anchor.current, id, rows))
    anchor.current = id
    if (p.onPick && (e.ctrlKey || e.metaKey))
      return set(is(id) ? p.picked!.filter((x) => x !== id) : [...(p.picked ?? []), id])
    set(is(id) && (p.picked?.length ?? 1) <= 1 ? [] : [id])
  }
  const click = (e: MouseEvent, id: string, rows: T[]) => {
    // what can be pressed inside a row does its own work
    if (!(e.target as HTMLElement).closest('a, button, input, .ant-select')) choose(id, rows, e)
  }
  const key = (e: KeyboardEvent<HTMLTableElement>, rows: T[], text: () => string, scrollTo: (k: number) => void) => {
    const row = (e.target as HTMLElement).closest('tbody tr')
    if (!row || (e.target as HTMLElement).closest('input, textarea, button, a, .ant-select')) return
    const ids = rows.map(p.id)
    const now = ids.indexOf(row.getAttribute('data-id') ?? '')
    const steps: Record<string, number> = {
      ArrowDown: 1,
      ArrowUp: -1,
      PageDown: 20,
      PageUp: -20,
      Home: -ids.length,
      End: ids.length,
    }
    const step = steps[e.key]
    if (step !== undefined) {
      e.preventDefault()
      const next = Math.min(Math.max(now + step, 0), ids.length - 1)
      const table = e.currentTarget
      setAt(ids[next]!)
      if (p.onPick && e.shiftKey && anchor.current) set(between(anchor.current, ids[next]!, rows))
      scrollTo(next)
      requestAnimationFrame(() => rowOf(table, ids[next]!)?.focus())
    } else if ((e.key === 'Enter' || e.key === ' ') && can) {
      e.preventDefault()
      choose(ids[now]!, rows, e)
    } else if ((e.ctrlKey || e.metaKey) && e.key === 'a' && p.onPick) {
      e.preventDefault()
      set(ids)
    } else if ((e.ctrlKey || e.metaKey) && e.key === 'c' && !window.getSelection()?.toString()) {
      e.preventDefault()
      void navigator.clipboard?.writeText(text())
    }
  }
  const tabbed = at && shown.some((r) => p.id(r) === at) ? at : (p.selected ?? p.picked?.[0] ?? null)
  const chosen = (rows: T[]) => {
    const some = rows.filter((r) => p.picked?.includes(p.id(r)))
    return some.length > 1 ? some : rows
  }
  return {
    can,
    is,
    click,
    key,
    chosen,
    tab: (id: string, first: boolean) => ((tabbed ? tabbed === id : first) ? 0 : -1),
  }
}

function Head<T>(p: {
  column: Column<T>
  sort: Sort | null
  width?: number
  onSort: () => void
  onWidth: (w: number) => void
}) {
  const th = useRef<HTMLTableCellElement>(null)
  const drag = (e: PointerEvent<HTMLElement>) => {
    e.preventDefault()
    const [x, w] = [e.clientX, th.current?.offsetWidth ?? 80]
    const grip = e.currentTarget
    grip.setPointerCapture(e.pointerId)
    const move = (m: globalThis.PointerEvent) => p.onWidth(Math.max(36, w + m.clientX - x))
    grip.addEventListener('pointermove', move)
    grip.addEventListener('pointerup', () => grip.removeEventListener('pointermove', move), { once: true })
  }
  const head = textOf(p.column.head)
  const order = p.sort && (p.sort.down ? ('descending' as const) : ('ascending' as const))
  return (
    <th
      ref={th}
      scope="col"
      className={p.column.num ? 'num' : ''}
      style={{ width: p.width }}
      aria-sort={order ?? undefined}
    >
      {head ? (
        <button type="button" className="sort" onClick={p.onSort} title={words.sort}>
          {p.column.head}
          {p.sort && <b aria-hidden="true">{p.sort.down ? ' ↓' : ' ↑'}</b>}
        </button>
      ) : (
        <span className="unseen">{words.actions}</span>
      )}
      <i className="grip" aria-hidden="true" onPointerDown={drag} />
    </th>
  )
}

function Tools<T>(p: {
  label: string
  search: string
  setSearch: (s: string) => void
  found: number
  all: number
  columns: Column<T>[]
  hidden: number[]
  setHidden: (h: number[]) => void
  text: (delimiter: ',' | '\t') => string
}) {
  const save = () => {
    const url = URL.createObjectURL(new Blob([p.text(',')], { type: 'text/csv' }))
    const a = Object.assign(document.createElement('a'), {
      href: url,
      download: `${p.label.toLowerCase().replaceAll(' ', '-')}.csv`,
    })
    a.click()
    URL.revokeObjectURL(url)
  }
  const toggle = (k: number) => p.setHidden(p.hidden.includes(k) ? p.hidden.filter((h) => h !== k) : [...p.hidden, k])
  return (
    <div className="ledger-tools">
      <Input
        size="small"
        allowClear
        aria-label={words.search(p.label)}
        placeholder={words.searchText}
        value={p.search}
        onChange={(e) => p.setSearch(e.target.value)}
        style={{ width: 170 }}
      />
      <span className="faint" role="status">
        {p.found === p.all ? count(p.all) : words.of(count(p.found), count(p.all))}
      </span>
      <Popover
        trigger="click"
        placement="bottomRight"
        content={
          <div className="slices">
            {p.columns.map(
              (c, k) =>
                textOf(c.head) && (
                  <Checkbox
                    key={k}
                    checked={!p.hidden.includes(k)}
                    disabled={!p.hidden.includes(k) && p.hidden.length === p.columns.length - 1}
                    onChange={() => toggle(k)}
                  >
                    {c.head}
                  </Checkbox>
                ),
            )}
          </div>
        }
      >
        <Button size="small" type="text">
          {words.columns}
        </Button>
      </Popover>
      <Button size="small" type="text" onClick={() => void navigator.clipboard?.writeText(p.text('\t'))}>
        {words.copy}
      </Button>
      <Button size="small" type="text" onClick={save}>
        {words.csv}
      </Button>
    </div>
  )
}
