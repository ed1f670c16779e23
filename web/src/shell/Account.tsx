import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Button, Input } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { when } from '../lib/format'
import { useChange } from '../lib/hooks'
import { Confirm, Head, Ledger, States } from '../parts'

/** The account: signing out, and the tokens for scripts. */
export function Account() {
  const queries = useQueryClient()
  const [open, setOpen] = useState(false)
  const leave = useChange(
    async () => unwrap(await api.DELETE('/api/me')),
    () => {
      queries.clear()
      queries.setQueryData(['me'], null)
    },
  )
  return (
    <>
      <Head
        aside={
          <button type="button" className="link" onClick={() => leave.mutate(undefined)}>
            sign out
          </button>
        }
      >
        Account
      </Head>
      <button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
        Access tokens for scripts
      </button>
      {open && <Tokens />}
    </>
  )
}

function Tokens() {
  const [token, setToken] = useState('')
  const [secret, setSecret] = useState('')
  const tokens = useQuery({ queryKey: ['job', 'tokens'], queryFn: async () => unwrap(await api.GET('/api/tokens')) })
  const add = useChange(
    async () => unwrap(await api.POST('/api/tokens', { body: { name: token } })),
    (t) => {
      setSecret(t.secret)
      setToken('')
    },
  )
  const revoke = useChange(async (id: string) =>
    unwrap(await api.DELETE('/api/tokens/{id}', { params: { path: { id } } })),
  )
  return (
    <States of={tokens} what="The tokens">
      {secret && (
        <p role="status">
          Copy it now, it is shown once: <code>{secret}</code>
        </p>
      )}
      <Ledger
        label="Tokens"
        rows={tokens.data ?? []}
        id={(t) => t.id}
        empty="None yet. What a script may do is in docs/api.md."
        columns={[
          { head: 'Name', cell: (t) => t.name },
          { head: 'Last used', cell: (t) => when(t.last_used_at) || 'never' },
          {
            head: '',
            cell: (t) => (
              <Confirm
                title={`Scripts with “${t.name}” are refused from now on.`}
                onConfirm={() => revoke.mutate(t.id)}
              >
                revoke
              </Confirm>
            ),
          },
        ]}
      />
      <form
        className="bar"
        onSubmit={(e) => {
          e.preventDefault()
          add.mutate(undefined)
        }}
      >
        <Input
          aria-label="Name of the new token"
          placeholder="What the token is for"
          value={token}
          onChange={(e) => setToken(e.target.value)}
          style={{ width: 320 }}
        />
        <Button htmlType="submit" disabled={!token.trim()}>
          Make token
        </Button>
      </form>
    </States>
  )
}
