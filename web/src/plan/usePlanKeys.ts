import { useKey } from '../lib/hooks'
import type { Tool } from './PlanCanvas'
import type { Item, usePlan } from './usePlan'

/** The keys of the plan. */
export function usePlanKeys(p: {
  plan: ReturnType<typeof usePlan>
  edit: boolean
  chosen: Item[]
  /** Those that are drawn. */
  items: Item[]
  setTool: (t: Tool) => void
  setPicked: (ids: string[]) => void
  remove: () => void
  onEscape: () => void
}) {
  const { plan, edit, chosen, setTool } = p
  const lock = () =>
    void plan.apply(
      chosen
        .filter((i) => i.kind === 'station')
        .map((i) => ({ id: i.id, kind: i.kind, data: { ...i.data, locked: !i.data.locked } })),
    )
  const step = (by: 1 | -1) => {
    if (p.items.length === 0) return
    const order = [...p.items].sort((a, b) => a.kind.localeCompare(b.kind) || a.data.name.localeCompare(b.data.name))
    const now = order.findIndex((i) => i.id === chosen.at(-1)?.id)
    const next = now < 0 && by < 0 ? order.length - 1 : now + by
    p.setPicked([order[(next + order.length) % order.length]!.id])
  }
  useKey('v', () => setTool('pick'))
  useKey('w', () => setTool('wall'), edit)
  useKey('o', () => setTool('obstacle'), edit)
  useKey('c', () => setTool('column'), edit)
  useKey('e', () => setTool('edge'), edit)
  useKey('h', () => setTool('height'), edit)
  useKey('f', () => setTool('floor'), edit)
  useKey('a', () => setTool('area'), edit)
  useKey('s', () => setTool('station'), edit)
  useKey('t', () => setTool('target'), edit)
  useKey('m', () => setTool('walk'), edit)
  useKey('n', () => step(1))
  useKey('p', () => step(-1))
  useKey('ctrl+z', () => void plan.undo(), edit)
  useKey('ctrl+y', () => void plan.redo(), edit)
  useKey('ctrl+shift+z', () => void plan.redo(), edit)
  useKey('delete', p.remove, edit && chosen.length > 0)
  useKey('l', lock, edit && chosen.some((i) => i.kind === 'station'))
  useKey('escape', () => {
    setTool('pick')
    p.onEscape()
  })
}
