import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Button, Input } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { when } from '../lib/format'
import { useChange } from '../lib/hooks'
import { Confirm, Head, Ledger, States } from '../parts'
import { shell as words } from '../words'

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
            {words.signOut}
          </button>
        }
      >
        {words.account}
      </Head>
      <button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
        {words.accessTokensForScripts}
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
    <States of={tokens} what={words.theTokens}>
      {secret && (
        <p role="status">
          {words.copyItNowIt}
          <code>{secret}</code>
        </p>
      )}
      <Ledger
        label={words.tokens}
        rows={tokens.data ?? []}
        id={(t) => t.id}
        empty={words.noneYetWhatA}
        columns={[
          { head: words.name, cell: (t) => t.name },
          { head: words.lastUsed, cell: (t) => when(t.last_used_at) || words.never },
          {
            head: '',
            cell: (t) => (
              <Confirm title={words.scriptsWithAreRefused(t.name)} onConfirm={() => revoke.mutate(t.id)}>
                {words.revoke}
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
          aria-label={words.nameOfTheNew}
          placeholder={words.whatTheTokenIs}
          value={token}
          onChange={(e) => setToken(e.target.value)}
          style={{ width: 320 }}
        />
        <Button htmlType="submit" disabled={!token.trim()}>
          {words.makeToken}
        </Button>
      </form>
    </States>
  )
}
