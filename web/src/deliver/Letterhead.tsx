import { Button, Input } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'
import { sayError } from '../lib/errors'
import { States } from '../parts'
import { deliver as words } from '../words'

type Head = Schema['LetterheadDto']
const HEAVIEST = 400_000

/** What reports are headed with. */
export function Letterhead() {
  const read = useRead('/api/jobs/{job}/letterhead')
  return (
    <details className="letterhead">
      <summary>{words.letterhead}</summary>
      <States of={read} what={words.letterhead}>
        {read.data && <Edit key={read.data.version} of={read.data} />}
      </States>
    </details>
  )
}

function Edit({ of }: { of: Head }) {
  const job = useJob()
  const [lines, setLines] = useState(of.lines.join('\n'))
  const [colour, setColour] = useState(of.colour)
  const [logo, setLogo] = useState<string | null>(of.logo ?? null)
  const keep = useChange(async (body: Head) =>
    unwrap(await api.PUT('/api/jobs/{job}/letterhead', { params: { path: { job: job.id } }, body })),
  )
  const same = lines === of.lines.join('\n') && colour === of.colour && logo === (of.logo ?? null)
  const choose = async (file: File | undefined) => {
    if (!file) return
    if (file.size > HEAVIEST) return sayError(words.logoTooLarge(Math.ceil(file.size / 1000)))
    const bytes = new Uint8Array(await file.arrayBuffer())
    setLogo(btoa(Array.from(bytes, (b) => String.fromCharCode(b)).join('')))
  }
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate({ version: of.version, colour, logo, lines: lines.split('\n').filter((l) => l.trim() !== '') })
      }}
    >
      <p className="faint">{words.letterheadSays}</p>
      <div className="halves-even">
        <label className="field">
          <span className="label">{words.letterheadLines}</span>
          <Input.TextArea
            aria-label={words.letterheadLines}
            rows={4}
            maxLength={480}
            value={lines}
            onChange={(e) => setLines(e.target.value)}
          />
        </label>
        <div className="head-of-page" style={{ borderColor: colour, background: 'white' }}>
          <span style={{ color: colour }}>
            {lines.split('\n').map((l, k) => (
              <span key={k}>
                {l}
                <br />
              </span>
            ))}
          </span>
          {logo && <img alt={words.letterheadLogo} src={`data:image/*;base64,${logo}`} />}
        </div>
      </div>
      <p className="in-row">
        <label>
          {words.letterheadColour}{' '}
          <input
            type="color"
            aria-label={words.letterheadColour}
            value={colour}
            onChange={(e) => setColour(e.target.value)}
          />
        </label>
        <label>
          {words.letterheadLogo}{' '}
          <input
            type="file"
            accept="image/png,image/jpeg"
            aria-label={words.letterheadLogo}
            onChange={(e) => void choose(e.target.files?.[0])}
          />
        </label>
        {logo && (
          <Button size="small" onClick={() => setLogo(null)}>
            {words.removeLogo}
          </Button>
        )}
        <Button size="small" type="primary" htmlType="submit" disabled={same} loading={keep.isPending}>
          {words.keepLetterhead}
        </Button>
        {same && of.version > 0 && <span className="faint">{words.letterheadKept}</span>}
      </p>
    </form>
  )
}
