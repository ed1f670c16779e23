import { Button, Checkbox, Input, Select } from 'antd'
import { useEffect, useState } from 'react'
import { size, when } from '../../lib/format'
import { useJob } from '../../lib/hooks'
import { Head } from '../../parts'
import { field as words } from '../../words'
import type { Entry } from './journal'
import type { Station } from './OnSite'
import { type Attached, unsentFile } from './outbox'
import type { Journal } from './useJournal'
import { useVoice } from './voice'

/** A point of a scan that a note is about. */
export interface Pin {
  scan: string
  name: string
  at: [number, number, number]
}

const attached = (f: File): Attached => ({ id: crypto.randomUUID(), name: f.name, media: f.type, bytes: f })

/** What was seen on site, with photographs and voices; what can hurt somebody first. */
export function Notes({
  journal,
  stations,
  edit,
  where,
}: {
  journal: Journal
  stations: Station[]
  edit: boolean
  where: Where
}) {
  const notes = journal.entries.filter((e) => e.stands && e.fact.kind === 'note')
  const hazard = (e: Entry) => e.fact.kind === 'note' && !!e.fact.data.hazard
  notes.sort((a, b) => Number(hazard(b)) - Number(hazard(a)) || b.at.localeCompare(a.at))
  return (
    <>
      <Head aside={notes.length ? words.notes(notes.length) : ''}>{words.siteNotes}</Head>
      {edit && <NewNote journal={journal} stations={stations} where={where} />}
      <ul className="site-notes" aria-label={words.siteNotes}>
        {notes.map((e) => (
          <Note key={e.id} entry={e} journal={journal} stations={stations} />
        ))}
      </ul>
    </>
  )
}

/** Where the next note is pinned: on the plan, or to a point of a scan. */
export interface Where {
  place: [number, number] | null
  pin: Pin | null
  clear: () => void
}

function NewNote({ journal, stations, where }: { journal: Journal; stations: Station[]; where: Where }) {
  const [text, setText] = useState('')
  const [hazard, setHazard] = useState(false)
  const [reported, setReported] = useState(false)
  const [station, setStation] = useState('')
  const [files, setFiles] = useState<Attached[]>([])
  const voice = useVoice((bytes, media) =>
    setFiles((f) => [...f, { id: crypto.randomUUID(), name: words.voiceNote, media, bytes }]),
  )
  const save = async () => {
    const fact = {
      kind: 'note' as const,
      data: {
        note: crypto.randomUUID(),
        text,
        hazard,
        place: where.place,
        station: station || null,
        files: files.map((f) => f.id),
        pin: where.pin && { scan: where.pin.scan, at: where.pin.at },
        in_report: reported,
      },
    }
    // what the device has no room for stays on the screen
    if (!(await journal.note(fact, files))) return
    setText('')
    setHazard(false)
    setReported(false)
    setFiles([])
    where.clear()
  }
  return (
    <form
      className="site-note-new"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <Input.TextArea
        aria-label={words.noteText}
        autoSize={{ minRows: 2 }}
        value={text}
        onChange={(e) => setText(e.target.value)}
        placeholder={words.whatYouSee}
      />
      <div className="bar">
        <Select
          aria-label={words.noteAt}
          value={station}
          onChange={setStation}
          options={[{ value: '', label: words.noStation }, ...stations.map((s) => ({ value: s.id, label: s.name }))]}
        />
        <label className="ant-btn ant-btn-default site-file">
          {words.photographOrFile}
          <input
            type="file"
            multiple
            accept="image/*,audio/*,application/pdf,text/plain"
            onChange={(e) => setFiles([...files, ...[...(e.target.files ?? [])].map(attached)])}
          />
        </label>
        <Button onClick={voice.toggle} aria-pressed={voice.on}>
          {voice.on ? words.stopVoice : words.voice}
        </Button>
        <Checkbox checked={hazard} onChange={(e) => setHazard(e.target.checked)}>
          {words.canHurt}
        </Checkbox>
        <Checkbox checked={reported} onChange={(e) => setReported(e.target.checked)}>
          {words.intoReport}
        </Checkbox>
        <Button type="primary" htmlType="submit" disabled={!text.trim() && files.length === 0}>
          {words.keepNote}
        </Button>
      </div>
      {(where.place ?? where.pin) && (
        <p className="faint">{where.pin ? words.pinnedTo(where.pin.name) : words.pinnedOnPlan}</p>
      )}
      {voice.refused && <p className="warn">{voice.refused}</p>}
      {files.length > 0 && <p className="faint">{files.map((f) => `${f.name} (${size(f.bytes.size)})`).join(', ')}</p>}
    </form>
  )
}

function Note({ entry, journal, stations }: { entry: Entry; journal: Journal; stations: Station[] }) {
  if (entry.fact.kind !== 'note') return null
  const n = entry.fact.data
  const at = stations.find((s) => s.id === n.station)
  return (
    <li className={n.hazard ? 'hazard' : ''}>
      {n.hazard && <b>{words.hazard} </b>}
      {n.text}
      <div className="files">
        {(n.files ?? []).map((f) => (
          <Attachment key={f} id={f} known={journal.files.find((x) => x.id === f)} />
        ))}
      </div>
      <small className="faint">
        {entry.by}
        {at && `, ${words.stationNamed(at.name)}`} · {when(entry.at)}
        {entry.unsent && ` · ${words.waitsHere}`}
      </small>
      {entry.why !== null && <p className="warn">{words.notKept(entry.why)}</p>}
    </li>
  )
}

/** A file of a note: from the server, or from this device while it waits. */
function Attachment({ id, known }: { id: string; known?: Journal['files'][number] }) {
  const job = useJob()
  const [mine, setMine] = useState<{ url: string; media: string; name: string }>()
  useEffect(() => {
    if (known) return
    let url = ''
    void unsentFile(id).then((f) => {
      if (!f) return
      url = URL.createObjectURL(f.bytes)
      setMine({ url, media: f.media, name: f.name })
    })
    return () => URL.revokeObjectURL(url)
  }, [id, known])
  const shown = known ? { url: `/api/jobs/${job.id}/field/files/${id}`, media: known.media, name: known.name } : mine
  if (!shown) return null
  if (shown.media.startsWith('image/')) return <img src={shown.url} alt={shown.name} />
  // what was said can be heard only: its text is in the note where somebody wrote it
  // eslint-disable-next-line jsx-a11y-x/media-has-caption
  if (shown.media.startsWith('audio/')) return <audio controls src={shown.url} aria-label={shown.name} />
  return <a href={shown.url}>{shown.name}</a>
}
