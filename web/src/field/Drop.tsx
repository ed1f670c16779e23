import { Button } from 'antd'
import { useRef, useState } from 'react'
import { field as words } from '../words'
import { dropped } from './dropped'

/** Where files and whole folders are dropped or chosen. */
export function Drop({ onFiles: add }: { onFiles: (list: File[]) => unknown }) {
  const [over, setOver] = useState(false)
  const files = useRef<HTMLInputElement>(null)
  const folder = useRef<HTMLInputElement>(null)
  return (
    <div
      className={`drop ${over ? 'over' : ''}`}
      onDragOver={(e) => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault()
        setOver(false)
        void dropped(e.dataTransfer).then(add)
      }}
    >
      <span>{words.dropScanFilesOr}</span>
      <Button onClick={() => files.current?.click()}>{words.chooseFiles}</Button>
      <Button onClick={() => folder.current?.click()}>{words.chooseAFolder}</Button>
      <input
        ref={files}
        type="file"
        multiple
        hidden
        aria-label={words.scanFiles}
        onChange={(e) => {
          void add([...(e.target.files ?? [])])
          e.target.value = ''
        }}
      />
      <input
        ref={folder}
        type="file"
        hidden
        aria-label={words.folderOfScans}
        {...{ webkitdirectory: '' }}
        onChange={(e) => {
          void add([...(e.target.files ?? [])])
          e.target.value = ''
        }}
      />
    </div>
  )
}
