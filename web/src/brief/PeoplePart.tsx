import { Button, Input, Modal, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'
import { Head, Ledger, States } from '../parts'

const ROLES = ['owner', 'surveyor', 'reviewer', 'client'].map((value) => ({ value, label: value }))

/** Who works in the job, and as what. */
export function PeoplePart() {
  const job = useJob()
  const [email, setEmail] = useState('')
  const [leaving, setLeaving] = useState<Schema['Member'] | null>(null)
  const members = useRead('/api/jobs/{job}/members')
  const set = useChange(
    async (b: { email: string; role: Schema['Role'] | null }) =>
      unwrap(await api.PUT('/api/jobs/{job}/members', { params: { path: { job: job.id } }, body: b })),
    () => setEmail(''),
  )
  const owner = job.role === 'owner'
  const choose = (m: Schema['Member'], role: string) =>
    role ? set.mutate({ email: m.email, role: role as Schema['Role'] }) : setLeaving(m)
  return (
    <>
      <Head aside="whoever prepares a package cannot check it">People</Head>
      <States of={members} what="The people of the job">
        <Ledger
          label="People"
          rows={members.data ?? []}
          id={(m) => m.user_id}
          empty="Nobody yet."
          columns={[
            { head: 'Name', cell: (m) => m.name },
            { head: 'E-mail', cell: (m) => m.email },
            {
              head: 'Role',
              value: (m) => m.role,
              cell: (m) =>
                owner ? (
                  <Select
                    aria-label={`Role of ${m.name}`}
                    size="small"
                    value={m.role}
                    style={{ width: 120 }}
                    options={[...ROLES, { value: '', label: 'remove' }]}
                    onChange={(role) => choose(m, role)}
                  />
                ) : (
                  m.role
                ),
            },
          ]}
        />
      </States>
      {owner && (
        <form
          className="bar"
          onSubmit={(e) => {
            e.preventDefault()
            set.mutate({ email, role: 'surveyor' })
          }}
        >
          <Input
            aria-label="E-mail of a person"
            placeholder="E-mail of a person with an account"
            value={email}
            onChange={(e) => setEmail(e.target.value)}
            style={{ width: 300 }}
          />
          <Button htmlType="submit" disabled={!email}>
            Add as surveyor
          </Button>
        </form>
      )}
      <Modal
        open={!!leaving}
        title={`Remove ${leaving?.name}?`}
        okText="Remove"
        okButtonProps={{ danger: true }}
        onCancel={() => setLeaving(null)}
        onOk={() => {
          if (leaving) set.mutate({ email: leaving.email, role: null })
          setLeaving(null)
        }}
      >
        {leaving?.name} no longer sees this job. Signatures and entries in the log stay.
      </Modal>
    </>
  )
}
