import { Button, Checkbox, Input, Popconfirm, Select } from 'antd'
import { api, unwrap } from '../api/client'
import { useDraft } from '../lib/draft'
import { type Item, type Scan, useChange, useJob } from '../lib/hooks'
import { Conflicts, Head } from '../parts'
import { LengthInput } from '../parts/LengthInput'
import { SetUp } from './SetUp'
import { field as words } from '../words'

const NAMES: Record<string, string> = {
  name: 'Name',
  station: words.station,
  levelled: words.levelled,
  'log.operator': words.operator,
  'log.instrument_height': words.instrumentHeight,
  'log.note': words.note,
}

/** The log entry of one scan. What is typed is kept until it is saved, and what others save meanwhile comes in. */
export function Entry({ scan, stations, onGone }: { scan: Scan; stations: Item[]; onGone: () => void }) {
  const job = useJob()
  const stored = { name: scan.name, station: scan.station_id ?? null, levelled: scan.levelled, log: scan.log }
  const draft = useDraft(`vistazo-scan ${scan.id}`, stored, scan.version)
  const { name, station, levelled, log } = draft.value
  const set = (part: Partial<typeof stored>) => draft.set({ ...draft.value, ...part })
  const note = (part: Scan['log']) => set({ log: { ...log, ...part } })
  const path = { params: { path: { job: job.id, scan: scan.id } } }
  const save = useChange(
    async () =>
      unwrap(
        await api.PUT('/api/jobs/{job}/scans/{scan}', {
          ...path,
          body: { name, station, levelled, log: log as Record<string, never>, version: draft.version },
        }),
      ),
    draft.discard,
  )
  const remove = useChange(async () => unwrap(await api.DELETE('/api/jobs/{job}/scans/{scan}', path)), onGone)
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        save.mutate(undefined)
      }}
    >
      <Head
        aside={
          <Popconfirm
            title={words.leavesTheJobIts(scan.name)}
            okText={words.remove}
            okButtonProps={{ danger: true }}
            onConfirm={() => remove.mutate(undefined)}
          >
            <Button danger size="small">
              {words.removeScan}
            </Button>
          </Popconfirm>
        }
      >
        {words.logEntryOf(scan.name)}
      </Head>
      <Conflicts draft={draft} name={(p) => NAMES[p] ?? p.replaceAll('_', ' ')} />
      <div className="fields">
        <label className="field">
          <span className="label">{words.name}</span>
          <Input aria-label={words.scanName} value={name} onChange={(e) => set({ name: e.target.value })} />
        </label>
        <div className="field">
          <span className="label">{words.station}</span>
          <Select
            aria-label={words.scanStation}
            style={{ width: '100%' }}
            value={station ?? ''}
            onChange={(v) => set({ station: v || null })}
            options={[{ value: '', label: words.none }, ...stations.map((s) => ({ value: s.id, label: s.data.name }))]}
          />
        </div>
        <label className="field">
          <span className="label">{words.operator}</span>
          <Input
            aria-label={words.scanOperator}
            value={log.operator ?? ''}
            onChange={(e) => note({ operator: e.target.value })}
          />
        </label>
        <div className="field">
          <span className="label">{words.instrumentHeight}</span>
          <LengthInput
            label={words.scanInstrumentHeight}
            value={log.instrument_height}
            onChange={(v) => note({ instrument_height: v })}
          />
        </div>
        <label className="field">
          <span className="label">{words.note}</span>
          <Input aria-label={words.scanNote} value={log.note ?? ''} onChange={(e) => note({ note: e.target.value })} />
        </label>
      </div>
      <SetUp
        value={log.set_up ?? { mark: '', height: 0, sights: [] }}
        height={log.instrument_height}
        onChange={(set_up) => note({ set_up })}
      />
      <div className="bar">
        <Checkbox checked={levelled} onChange={(e) => set({ levelled: e.target.checked })}>
          {words.levelledCompensatorOn}
        </Checkbox>
        <Button
          type="primary"
          htmlType="submit"
          disabled={!draft.changed || draft.conflicts.length > 0}
          loading={save.isPending}
        >
          {draft.changed ? words.saveEntry : words.saved}
        </Button>
        {draft.changed && (
          <Button type="text" onClick={draft.discard}>
            {words.discard}
          </Button>
        )}
      </div>
    </form>
  )
}
