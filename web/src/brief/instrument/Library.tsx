import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Button, Select } from 'antd'
import { api, type Schema, unwrap } from '../../api/client'
import { useChange } from '../../lib/hooks'
import { Confirm, Head } from '../../parts'
import { brief as words } from '../../words'
import type { Profile } from './inputs'

type Entry = Schema['InstrumentEntry']
const KEY = ['instruments']

const same = (a: Profile, b: Profile) =>
  JSON.stringify(Object.entries(a).sort()) === JSON.stringify(Object.entries(b).sort())

function useLibrary(profile: Profile) {
  const queries = useQueryClient()
  const library = useQuery({ queryKey: KEY, queryFn: async () => unwrap(await api.GET('/api/instruments')) })
  const again = () => void queries.invalidateQueries({ queryKey: KEY })
  const keep = useChange(
    async (entry: { id?: string | null; version?: number }) =>
      unwrap(
        await api.PUT('/api/instruments', { body: { id: entry.id, version: entry.version, instrument: profile } }),
      ),
    again,
  )
  const remove = useChange(
    async (id: string) => unwrap(await api.DELETE('/api/instruments/{id}', { params: { path: { id } } })),
    again,
  )
  const entries = library.data ?? []
  const own = entries.find((e) => e.id && e.instrument.name.toLowerCase() === profile.name.trim().toLowerCase())
  const kept = entries.some((e) => same(e.instrument, profile))
  return { entries, own, kept, keep, remove }
}

/** Take a profile from the library, or keep the one that is entered. */
export function Library({
  profile,
  edit,
  said,
  say,
  onTake,
}: {
  profile: Profile
  edit: boolean
  said: string
  say: (what: string) => void
  onTake: (p: Profile) => void
}) {
  const { entries, own, kept, keep, remove } = useLibrary(profile)
  const changed = own ? words.changedAgainstYourLibrary : words.notInYourLibrary
  return (
    <>
      <Head aside={kept ? words.asKeptInThe : changed}>{words.instrument}</Head>
      <div className="bar">
        <Select
          aria-label={words.fromTheLibrary}
          placeholder={words.takeOneFromThe}
          style={{ width: 320 }}
          value={null}
          disabled={!edit}
          onChange={(k: number) => {
            const e = entries[k]
            if (e) {
              onTake(e.instrument)
              say(words.takenSaveTheBrief(e.instrument.name))
            }
          }}
          options={grouped(entries)}
        />
        <Button
          disabled={kept || !profile.name.trim()}
          loading={keep.isPending}
          onClick={() =>
            keep.mutate(own ? { id: own.id, version: own.version } : {}, {
              onSuccess: () => say(words.isInYourLibrary(profile.name)),
            })
          }
        >
          {own ? words.changeItInYour : words.keepInYourLibrary}
        </Button>
        {own && (
          <Confirm
            title={words.leavesYourLibraryThis(profile.name)}
            onConfirm={() =>
              remove.mutate(own.id!, {
                onSuccess: () => say(words.isNoLongerIn(profile.name)),
              })
            }
          >
            {words.removeFromYourLibrary}
          </Confirm>
        )}
        <span className="faint" role="status">
          {said}
        </span>
      </div>
    </>
  )
}

/** One's own first, then those to begin with. */
function grouped(entries: Entry[]) {
  const options = entries.map((e, k) => ({ value: k, label: e.instrument.name, own: !!e.id }))
  return [
    { label: words.yourOwn, options: options.filter((o) => o.own) },
    { label: words.inventedOnesToBegin, options: options.filter((o) => !o.own) },
  ].filter((g) => g.options.length > 0)
}
