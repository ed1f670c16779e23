import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Scan } from '../lib/hooks'
import { serve, show } from '../testing/page'
import { from, ScanGroups } from './Groups'

const scans = ['S1', 'S2', 'S3', 'S4', 'S5'].map(
  (name) => ({ id: name.toLowerCase(), name, has_scanner: true }) as Scan,
)
const group = (name: string, of: string[], hold: string, worst: number | null = null) => ({
  id: name,
  name,
  scans: of,
  names: of.map((s) => s.toUpperCase()),
  hold,
  worst,
  version: 3,
})

function open(picked: string | null = null) {
  const asked = serve({
    'GET /scan-groups': () => ({
      body: [group('Day 1', ['s1', 's2'], 'held', 0.0021), group('Attic', ['s5'], 'apart')],
    }),
    'POST /scan-groups': () => ({ body: group('New', ['s3', 's4'], 'held') }),
    'PUT /scan-groups/Attic': () => ({ body: group('Attic', ['s5'], 'free') }),
    'POST /register': () => ({ body: {} }),
  })
  show(<ScanGroups scans={scans} picked={picked} open />)
  return asked
}

describe('groups of scans', () => {
  it('says what is held and how well, and what is set apart', async () => {
    open()
    const row = (await screen.findByText('Day 1')).closest('tr')!
    expect(within(row).getByText('S1, S2')).toBeTruthy()
    expect(within(row).getByText('held')).toBeTruthy()
    expect(within(row).getByText('2.10')).toBeTruthy()
    expect(within(screen.getByText('Attic').closest('tr')!).getByText('apart')).toBeTruthy()
  })

  it('takes in again what was set apart, as it was seen, and registers', async () => {
    const asked = open()
    fireEvent.click(await screen.findByRole('button', { name: 'take in again' }))
    await waitFor(() => expect(asked.some((a) => a.call.endsWith('/register'))).toBe(true))
    const put = asked.find((a) => a.call.startsWith('PUT'))!
    expect(put.body).toEqual({ name: 'Attic', scans: ['s5'], hold: 'free', version: 3 })
  })

  it('splits off what was taken from a scan on, without scans of other groups', async () => {
    const asked = open('S3')
    await screen.findByText('Day 1')
    fireEvent.change(screen.getByLabelText('Name of the group'), { target: { value: 'After the battery' } })
    fireEvent.click(screen.getByRole('button', { name: 'and all that were taken after it' }))
    fireEvent.click(screen.getByRole('button', { name: 'Take together' }))
    await waitFor(() => expect(asked.some((a) => a.call.endsWith('j/scan-groups'))).toBe(true))
    const body = asked.find((a) => a.call.endsWith('j/scan-groups'))!.body
    expect(body).toEqual({ name: 'After the battery', scans: ['s3', 's4'], hold: 'held' })
    expect(from(scans, 's9')).toEqual([])
  })
})
