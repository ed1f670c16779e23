import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useState } from 'react'
import { UNREACHED } from '../../api/client'
import { sayError } from '../../lib/errors'
import { useJob, useRead } from '../../lib/hooks'
import { field as words } from '../../words'
import { type Entry, heads, subjectOf, together } from './journal'
import { type Attached, type Author, type Fact, isFull, send, subscribe, waiting, write } from './outbox'

const EVERY = 5000
const NAME = 'vistazo-device'

/** What this device is called in the journal. */
export function deviceName(): string {
  let name = localStorage.getItem(NAME)
  if (!name) {
    name = `${/Android|iPad|iPhone/.exec(navigator.userAgent)?.[0] ?? 'Device'} ${Math.floor(1000 + Math.random() * 9000)}`
    localStorage.setItem(NAME, name)
  }
  return name
}

/** The journal of the job: what the server has, and what waits on this device and is sent as soon as that can be. */
export function useJournal(me: Author) {
  const job = useJob()
  const queries = useQueryClient()
  const read = useRead('/api/jobs/{job}/field/journal')
  const [kept, setKept] = useState<Awaited<ReturnType<typeof waiting>>>({ entries: [], files: [] })
  const [reached, setReached] = useState(navigator.onLine)
  useEffect(() => {
    const look = () => void waiting(job.id).then(setKept, () => sayError(words.deviceKeepsNothing))
    look()
    const stop = subscribe(look)
    return () => void stop()
  }, [job.id])
  const push = useCallback(async () => {
    try {
      const sent = await send(job.id, me.id, deviceName())
      setReached(sent.reached)
      if (sent.entries > 0) await queries.invalidateQueries({ queryKey: ['job', job.id] })
    } catch (e) {
      sayError((e as Error).message)
    }
  }, [job.id, me.id, queries])
  useEffect(() => {
    void push()
    const beat = setInterval(() => void push(), EVERY)
    const online = () => void push()
    window.addEventListener('online', online)
    return () => {
      clearInterval(beat)
      window.removeEventListener('online', online)
    }
  }, [push])
  const entries = useMemo(() => together(read.data?.entries ?? [], kept.entries), [read.data, kept.entries])
  /** Writes an entry down here first, then sends it. It takes the place of what its writer saw. */
  const note = useCallback(
    async (fact: Fact, files: Attached[] = [], follows?: Entry[]) => {
      const seen = follows ?? heads(entries, subjectOf(fact))
      try {
        await write(
          job.id,
          { id: me.id, name: me.name },
          fact,
          seen.map((e) => e.id),
          files,
        )
      } catch (e) {
        sayError(isFull(e) ? words.deviceIsFull : `${words.deviceKeepsNothing} ${(e as Error).message}`)
        return false
      }
      void push()
      return true
    },
    [entries, job.id, me.id, me.name, push],
  )
  return {
    read,
    entries,
    files: read.data?.files ?? [],
    waiting: kept,
    // what the server said when it was asked last
    reached: reached && read.error?.message !== UNREACHED,
    note,
    push,
  }
}
export type Journal = ReturnType<typeof useJournal>
