import { Button, Input, Modal, Select } from 'antd'
import { useState } from 'react'
import { api, type Schema, unwrap } from '../api/client'
import { useChange, useJob, useRead } from '../lib/hooks'
import { Head, Ledger, States } from '../parts'
import { brief as words } from '../words'

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
      <Head aside={words.whoeverPreparesAPackage}>{words.people}</Head>
      <States of={members} what={words.thePeopleOfThe}>
        <Ledger
          label={words.people}
          rows={members.data ?? []}
          id={(m) => m.user_id}
          empty={words.nobodyYet}
          columns={[
            { head: words.name, cell: (m) => m.name },
            { head: words.eMail, cell: (m) => m.email },
            {
              head: words.role,
              value: (m) => m.role,
              cell: (m) =>
                owner ? (
                  <Select
                    aria-label={words.roleOf(m.name)}
                    size="small"
                    value={m.role}
                    style={{ width: 120 }}
                    options={[...ROLES, { value: '', label: words.remove }]}
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
            aria-label={words.eMailOfA}
            placeholder={words.eMailOfAPerson}
            value={email}
            onChange={(e) => setEmail(e.target.value)}
            style={{ width: 300 }}
          />
          <Button htmlType="submit" disabled={!email}>
            {words.addAsSurveyor}
          </Button>
        </form>
      )}
      <Modal
        open={!!leaving}
        title={words.removeName(leaving?.name)}
        okText={words.removeTitle}
        okButtonProps={{ danger: true }}
        onCancel={() => setLeaving(null)}
        onOk={() => {
          if (leaving) set.mutate({ email: leaving.email, role: null })
          setLeaving(null)
        }}
      >
        {leaving?.name}
        {words.noLongerSeesThis}
      </Modal>
    </>
  )
}
