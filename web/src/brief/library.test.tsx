import { fireEvent, screen, waitFor } from '@testing-library/react'
import { useState } from 'react'
import { describe, expect, it, vi } from 'vitest'
import type { Schema } from '../api/client'
import { type Answer, refused, serve, show } from '../testing/page'
import type { Profile } from './instrument/inputs'
import { Library } from './instrument/Library'

type Entry = Schema['InstrumentEntry']
const profile = (name: string, part: Partial<Profile> = {}): Profile =>
  ({ name, range_sigma: 0.0012, step: 0.001, ...part }) as Profile
const entry = (id: string | null, instrument: Profile, version = 3): Entry => ({ id, version, instrument })

/** A library that keeps what it is sent. */
function library(entries: Entry[], put?: () => Answer) {
  let all = entries
  const sent = serve({
    'GET /api/instruments': () => ({ body: all }),
    'PUT /api/instruments': ({ body }) => {
      const sent = body as { id?: string; instrument: Profile }
      const answer = put?.()
      if (answer) return answer
      all = [...all.filter((e) => e.id !== sent.id), entry(sent.id ?? 'new', sent.instrument, 4)]
      return { body: all.at(-1) }
    },
    'DELETE /instruments/mine': () => {
      all = all.filter((e) => e.id !== 'mine')
      return { status: 204, body: null }
    },
  })
  return sent
}

function open(now: Profile, edit = true) {
  const onTake = vi.fn()
  function Kept() {
    const [said, say] = useState('')
    return <Library profile={now} edit={edit} said={said} say={say} onTake={onTake} />
  }
  show(<Kept />)
  return onTake
}
const button = (name: RegExp) => screen.findByRole('button', { name })
const status = () => screen.getByRole('status').textContent

describe('the library of instruments', () => {
  it('says that a profile is kept as it is, whatever the order of its fields', async () => {
    library([entry('mine', { step: 0.001, range_sigma: 0.0012, name: 'Tall' } as Profile)])
    open(profile('Tall'))
    await screen.findByText('as kept in the library')
    expect(screen.getByRole('button', { name: /change it in/i })).toHaveProperty('disabled', true)
  })
  it('changes the one of that name, of the version that was read', async () => {
    const sent = library([entry('mine', profile('tall')), entry(null, profile('Mid-range'))])
    open(profile('Tall ', { step: 0.002 }))
    await screen.findByText('changed against your library')
    fireEvent.click(await button(/change it in/i))
    await waitFor(() => expect(status()).toMatch(/is in your library/))
    expect(sent[0]!.body).toMatchObject({ id: 'mine', version: 3, instrument: { step: 0.002 } })
  })
  it('takes a new one in under its own name', async () => {
    const sent = library([entry(null, profile('Mid-range'))])
    open(profile('Short'))
    await screen.findByText('not in your library')
    fireEvent.click(await button(/keep in your/i))
    await screen.findByText('as kept in the library')
    expect(sent[0]!.body).toMatchObject({ instrument: { name: 'Short' } })
    expect((sent[0]!.body as Entry).id).toBeUndefined()
  })
  it('takes none in without a name', async () => {
    library([])
    open(profile('  '))
    expect(await button(/keep in your/i)).toHaveProperty('disabled', true)
  })
  it('does not claim to have kept what was refused', async () => {
    library([], () => refused('somebody changed this'))
    open(profile('Short'))
    fireEvent.click(await button(/keep in your/i))
    await waitFor(() => expect(screen.queryByText('not in your library')).not.toBeNull())
    expect(status()).toBe('')
  })
  it('never takes one of those to begin with for one’s own', async () => {
    library([entry(null, profile('Mid-range'))])
    open(profile('Mid-range', { step: 0.004 }))
    await screen.findByText('not in your library')
    expect(screen.queryByRole('button', { name: /remove/i })).toBeNull()
  })
  it('hands over what is chosen, and says that the brief is not saved by that', async () => {
    library([entry('mine', profile('Tall')), entry(null, profile('Mid-range', { step: 0.003 }))])
    const onTake = open(profile('Other'))
    await screen.findByText('not in your library')
    fireEvent.mouseDown(screen.getByLabelText('From the library'))
    fireEvent.click(await screen.findByText('Mid-range'))
    expect(onTake).toHaveBeenCalledWith(profile('Mid-range', { step: 0.003 }))
    expect(status()).toMatch(/save the brief/)
  })
  it('gives none to those who may not edit', async () => {
    library([entry('mine', profile('Tall'))])
    open(profile('Tall'), false)
    await screen.findByText('as kept in the library')
    expect(screen.getByLabelText('From the library')).toHaveProperty('disabled', true)
  })
})
