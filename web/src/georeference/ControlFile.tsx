import { Button } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useAsk, useChange, useJob } from '../lib/hooks'
import { Head } from '../parts'
import { georeference as words } from '../words'
import { PointText, type PointTextBody, usePointText } from './PointText'
import { Preview } from './Preview'

/** A control file: what was understood is shown before anything is stored. */
export function ControlFile() {
  const job = useJob()
  const file = usePointText()
  const [preview, setPreview] = useState<Schema['ControlPreview'] | null>(null)
  const [wrong, setWrong] = useState('')
  const path = { params: { path: { job: job.id } } }
  const look = useAsk(async (body: PointTextBody) => {
    try {
      setPreview(unwrap(await api.POST('/api/jobs/{job}/control/preview', { ...path, body })))
      setWrong('')
    } catch (e) {
      setPreview(null)
      setWrong((e as Error).message)
    }
  })
  const store = useChange(
    async () => unwrap(await api.POST('/api/jobs/{job}/control', { ...path, body: file.body })),
    () => {
      file.setText('')
      setPreview(null)
    },
  )
  return (
    <>
      <Head aside={words.nameAndEN}>{words.controlFile}</Head>
      <PointText
        of={file}
        label={words.controlText}
        onChange={() => {
          setPreview(null)
          setWrong('')
        }}
      >
        <Button disabled={!file.text.trim()} onClick={() => look.mutate(file.body)}>
          {words.preview}
        </Button>
      </PointText>
      {wrong && (
        <p role="alert" style={{ color: 'var(--red)' }}>
          {wrong}
        </p>
      )}
      {preview && <Preview preview={preview} storing={store.isPending} onStore={() => store.mutate(undefined)} />}
    </>
  )
}
