import { Button, Form, Input, Segmented, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead, type Scan } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Confirm, Head, Ledger, States } from '../parts'
import { register as words } from '../words'

export type ScanGroup = Schema['ScanGroupDto']
export type Hold = ScanGroup['hold']
type Wanted = Pick<ScanGroup, 'name' | 'scans' | 'hold'>

/** Groups of scans, and what can be done with them; what they hold goes into a new registration at once. */
function useGroups() {
  const job = useJob()
  const read = useRead('/api/jobs/{job}/scan-groups')
  const path = { params: { path: { job: job.id } } }
  const again = async () => unwrap(await api.POST('/api/jobs/{job}/register', path))
  const add = useChange(async (body: Wanted) => {
    unwrap(await api.POST('/api/jobs/{job}/scan-groups', { ...path, body }))
    return body.hold === 'free' ? null : again()
  })
  const of = (g: ScanGroup) => ({ job: job.id, group: g.id })
  const change = useChange(async ({ group, ...to }: Partial<Wanted> & { group: ScanGroup }) => {
    const { name, scans, hold, version } = { ...group, ...to }
    const body = { name, scans, hold, version }
    unwrap(await api.PUT('/api/jobs/{job}/scan-groups/{group}', { params: { path: of(group) }, body }))
    return hold === group.hold ? null : again()
  })
  const dissolve = useChange(async (group: ScanGroup) => {
    const query = { version: group.version }
    unwrap(await api.DELETE('/api/jobs/{job}/scan-groups/{group}', { params: { path: of(group), query } }))
    return group.hold === 'free' ? null : again()
  })
  return { read, all: read.data ?? [], add, change, dissolve }
}
type Groups = ReturnType<typeof useGroups>

/** Scans taken together: held in the shape they were registered in, or set apart until somebody joins them. */
export function ScanGroups({ scans, picked, open }: { scans: Scan[]; picked: string | null; open: boolean }) {
  const u = useUnits()
  const groups = useGroups()
  const short = (names: string[]) =>
    names.length > 6 ? words.firstAndLast(names[0]!, names.at(-1)!, names.length) : names.join(', ')
  return (
    <States of={[groups.read]} what={words.theGroups}>
      <p className="empty">{words.whatGroupsAreFor}</p>
      <Ledger
        label={words.groupsOfScans}
        rows={groups.all}
        id={(g) => g.id}
        empty={words.noGroupYet}
        columns={[
          { head: words.group, cell: (g) => g.name },
          { head: words.scans, cell: (g) => short(g.names), value: (g) => g.names.length },
          {
            head: words.state,
            cell: (g) => <b className={`hold ${g.hold}`}>{words.holds[g.hold]}</b>,
            value: (g) => g.hold,
          },
          {
            head: <>{words.heldTo95(u.small)}</>,
            num: true,
            cell: (g) => u.err(g.worst),
            value: (g) => g.worst ?? undefined,
          },
          { head: '', cell: (g) => open && <Choices of={g} groups={groups} /> },
        ]}
      />
      {open && <Head>{words.newGroup}</Head>}
      {open && <NewGroup scans={scans} picked={picked} groups={groups} />}
    </States>
  )
}

/** What can become of a group as it is. */
const CHOICES: Record<Exclude<Hold, 'held'>, Hold[]> = { free: ['held', 'apart'], apart: ['free'] }

function Choices({ of: g, groups }: { of: ScanGroup; groups: Groups }) {
  const become = (hold: Hold) => groups.change.mutate({ group: g, hold })
  // a shape that was let go is gone: what is held afterwards is what is registered then
  if (g.hold === 'held')
    return (
      <Confirm title={words.itsShapeIsGone(g.name)} onConfirm={() => become('free')}>
        {words.undoHold.held}
      </Confirm>
    )
  return (
    <span className="bar">
      {CHOICES[g.hold].map((hold) => (
        <Button key={hold} size="small" loading={groups.change.isPending} onClick={() => become(hold)}>
          {g.hold === 'free' ? words.doHold[hold] : words.undoHold[g.hold]}
        </Button>
      ))}
      {g.hold === 'free' && (
        <Button size="small" type="text" onClick={() => groups.dissolve.mutate(g)}>
          {words.dissolve}
        </Button>
      )}
    </span>
  )
}

/** Scans in the order they were taken, from one of them to the last: what a power loss or a new day leaves behind. */
export function from(scans: Scan[], id: string | undefined): string[] {
  const at = scans.findIndex((s) => s.id === id)
  return at < 0 ? [] : scans.slice(at).map((s) => s.id)
}

function NewGroup({ scans, picked, groups }: { scans: Scan[]; picked: string | null; groups: Groups }) {
  const taken = new Set(groups.all.flatMap((g) => g.scans))
  const free = scans.filter((s) => !taken.has(s.id))
  const first = free.find((s) => s.name === picked)
  const [name, setName] = useState('')
  const [chosen, setChosen] = useState<string[]>(first ? [first.id] : [])
  const [hold, setHold] = useState<Hold>('held')
  const done = () => {
    setName('')
    setChosen([])
  }
  if (free.length === 0) return null
  const ready = name.trim() !== '' && chosen.length > (hold === 'held' ? 1 : 0)
  return (
    <Form
      layout="vertical"
      className="new-group"
      onFinish={() => groups.add.mutate({ name: name.trim(), scans: chosen, hold }, { onSuccess: done })}
    >
      <Form.Item label={words.nameOfTheGroup} htmlFor="group-name">
        <Input id="group-name" value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
      </Form.Item>
      <Form.Item label={words.itsScans} htmlFor="group-scans">
        <Select
          id="group-scans"
          mode="multiple"
          value={chosen}
          onChange={setChosen}
          options={free.map((s) => ({ value: s.id, label: s.name }))}
          optionFilterProp="label"
        />
      </Form.Item>
      <Button size="small" disabled={chosen.length !== 1} onClick={() => setChosen(from(free, chosen[0]))}>
        {words.andAllAfterIt}
      </Button>
      <Segmented<Hold>
        aria-label={words.state}
        value={hold}
        onChange={setHold}
        options={(['held', 'apart', 'free'] as const).map((value) => ({ value, label: words.doHold[value] }))}
      />
      <p className="empty">{words.meansHold[hold]}</p>
      <Button htmlType="submit" type="primary" disabled={!ready} loading={groups.add.isPending}>
        {words.takeTogether}
      </Button>
    </Form>
  )
}
