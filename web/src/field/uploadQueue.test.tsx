import { fireEvent, screen, waitFor } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import { serve, show } from '../testing/page'
import { UploadQueue } from './UploadQueue'

const usage = { uploads: 3.2e9, derived: 1.1e9, packages: 4e8 }
let station: string | null
function open(
  receiving: { id: string; file_name: string; size: number; received: number }[] = [],
  free: number | null = 5e10,
) {
  return serve({
    'GET /plan': () => ({
      body: [
        { id: 's1', kind: 'station', version: 1, data: { name: 'S1' } },
        { id: 'w1', kind: 'wall', version: 1, data: { name: 'W1' } },
      ],
    }),
    'GET /uploads': () => ({ body: { receiving, usage, free } }),
    'GET /scans': () => ({ body: [] }),
    'POST /uploads/propose': ({ body }) => ({
      body: (body as { names: string[] }).names.map((_, file) => ({ file, station })),
    }),
  })
}
const file = (name: string) => new File(['0 0 0'], name)
const drop = (...files: File[]) => {
  const field = document.querySelector('input[type=file]')!
  fireEvent.change(field, { target: { files } })
}

describe('files of one’s own', () => {
  beforeEach(() => {
    station = 's1'
  })
  it('are waited for until somebody sends them, in the order proposed', async () => {
    const sent = open()
    show(<UploadQueue />, { at: '/jobs/j/field' })
    drop(file('S1 first.e57'), file('S2.las'))
    const go = await screen.findByRole('button', { name: /upload 2 files/i })
    expect(go).toBeTruthy()
    expect(sent.map((s) => s.call)).toEqual(['POST /api/jobs/j/uploads/propose'])
    expect(document.body.textContent).toContain('S1 first.e57')
  })
  it('that are no scans are named and left aside, and the others go on', async () => {
    open()
    show(<UploadQueue />, { at: '/jobs/j/field' })
    drop(file('notes.pdf'), file('photo.jpg'), file('a.laz'))
    await waitFor(() => expect(document.querySelector('.warn')?.textContent).toMatch(/notes\.pdf, photo\.jpg/))
    expect(document.querySelector('.warn')!.textContent).not.toContain('a.laz')
  })
  it('say how much room the job takes and how much is free', async () => {
    open()
    show(<UploadQueue />, { at: '/jobs/j/field' })
    const room = await screen.findByLabelText(/room taken/i)
    expect(room.textContent).toMatch(/3\.2.*1\.1.*50/s)
  })
  it('do not speak of free room that the store does not know', async () => {
    open([], null)
    show(<UploadQueue />, { at: '/jobs/j/field' })
    const room = await screen.findByLabelText(/room taken/i)
    expect(room.textContent).not.toMatch(/free/)
  })
  it('that came half are shown as such', async () => {
    open([{ id: 'u', file_name: 'broken.e57', size: 1e9, received: 4e8 }])
    show(<UploadQueue />, { at: '/jobs/j/field' })
    await waitFor(() => expect(document.body.textContent).toContain('broken.e57'))
  })
})
