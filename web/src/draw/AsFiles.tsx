import type { ReactNode } from 'react'
import { useJob } from '../lib/hooks'
import { draw as words } from '../words'

/** What is drawn, as files: name of each in the folder `of` of the job, and what it is called here. */
export function AsFiles({ of, files, children }: { of: string; files: Record<string, string>; children?: ReactNode }) {
  const job = useJob()
  return (
    <p>
      {words.asFiles}:{' '}
      {Object.entries(files).map(([file, called]) => (
        <span key={file}>
          <a href={`/api/jobs/${job.id}/${of}/${file}`} download>
            {called}
          </a>{' '}
        </span>
      ))}
      {children}
    </p>
  )
}
