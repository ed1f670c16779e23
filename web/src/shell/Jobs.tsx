import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Button, Checkbox, Input } from 'antd'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router-dom'
import { api, unwrap } from '../api/client'
import { useChange } from '../lib/hooks'
import { Head, Ledger } from '../parts'
import type { User } from './Shell'

/** The jobs of the user, and the tokens for scripts. */
export function Jobs({ user }: { user: User }) {
  const go = useNavigate()
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const [training, setTraining] = useState(false)
  const [token, setToken] = useState('')
  const [secret, setSecret] = useState('')
  const jobs = useQuery({ queryKey: ['jobs'], queryFn: async () => unwrap(await api.GET('/api/jobs')) })
  const tokens = useQuery({ queryKey: ['job', 'tokens'], queryFn: async () => unwrap(await api.GET('/api/tokens')) })
  const create = useChange(
    async () => unwrap(await api.POST('/api/jobs', { body: { name, training } })),
    (job) => {
      void queries.invalidateQueries({ queryKey: ['jobs'] })
      go(`/jobs/${job.id}/brief`)
    },
  )
  const addToken = useChange(
    async () => unwrap(await api.POST('/api/tokens', { body: { name: token } })),
    (t) => {
      setSecret(t.secret)
      setToken('')
    },
  )
  const dropToken = useChange(async (id: string) =>
    unwrap(await api.DELETE('/api/tokens/{id}', { params: { path: { id } } })),
  )
  const leave = useChange(
    async () => unwrap(await api.DELETE('/api/me')),
    () => queries.clear(),
  )
  return (
    <main className="jobs">
      <Head
        aside={
          <>
            {user.name} ·{' '}
            <a
              href="#out"
              onClick={(e) => {
                e.preventDefault()
                leave.mutate(undefined)
              }}
            >
              sign out
            </a>
          </>
        }
      >
        Jobs
      </Head>
      {jobs.data?.map((j) => (
        <Link key={j.id} className="job-row" to={`/jobs/${j.id}/${j.role === 'client' ? 'deliver' : 'brief'}`}>
          <span>
            <strong>{j.name}</strong>
            <br />
            <span className="faint">
              {j.brief.client || 'no client yet'} · {j.brief.site || 'no site yet'}
            </span>
          </span>
          <span className="faint">
            {j.simulated ? 'simulated · ' : ''}
            {j.role}
          </span>
        </Link>
      ))}
      {jobs.data?.length === 0 && <p className="empty">No jobs yet. Name one below to begin.</p>}
      <form
        className="bar"
        onSubmit={(e) => {
          e.preventDefault()
          create.mutate(undefined)
        }}
      >
        <Input
          aria-label="Name of the new job"
          placeholder="Name of a new job"
          value={name}
          onChange={(e) => setName(e.target.value)}
          style={{ width: 320 }}
        />
        <Checkbox checked={training} onChange={(e) => setTraining(e.target.checked)}>
          training job, with the simulated scanner
        </Checkbox>
        <Button type="primary" htmlType="submit" disabled={!name.trim()} loading={create.isPending}>
          Create job
        </Button>
      </form>
      <Head aside="for scripts: see docs/api.md">Access tokens</Head>
      {secret && (
        <p role="status">
          Copy it now, it is shown once: <code>{secret}</code>
        </p>
      )}
      <Ledger
        label="Tokens"
        rows={tokens.data ?? []}
        id={(t) => t.id}
        empty="None."
        columns={[
          { head: 'Name', cell: (t) => t.name },
          { head: 'Last used', cell: (t) => t.last_used_at?.slice(0, 16).replace('T', ' ') ?? 'never' },
          {
            head: '',
            cell: (t) => (
              <a
                href="#drop"
                onClick={(e) => {
                  e.preventDefault()
                  dropToken.mutate(t.id)
                }}
              >
                withdraw
              </a>
            ),
          },
        ]}
      />
      <form
        className="bar"
        onSubmit={(e) => {
          e.preventDefault()
          addToken.mutate(undefined)
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
    </main>
  )
}
