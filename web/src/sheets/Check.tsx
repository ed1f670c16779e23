import { Button } from 'antd'
import { api, unwrap } from '../api/client'
import { canEdit, isRefused, useChange, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Against, Caution, Grade, Head, States, VerdictCard } from '../parts'
import { Tasks } from '../shell/Tasks'

/** Required, predicted, achieved, evidence, and the answer: a row for each requirement. */
export default function Check() {
  const job = useJob()
  const u = useUnits()
  const verdicts = useRead('/api/jobs/{job}/verdicts')
  const georef = useRead('/api/jobs/{job}/georeference', job.role !== 'client')
  const measure = useChange(async () =>
    unwrap(await api.POST('/api/jobs/{job}/spacing', { params: { path: { job: job.id } } })),
  )
  const rows = verdicts.data ?? []
  const bad = rows.filter((r) => r.verdict === 'not met').length
  const open = rows.filter((r) => r.verdict === 'not demonstrated').length
  const spacing = rows.some((r) => r.requirement.startsWith('Point spacing'))
  // a client sees verdicts once a package was signed
  const unsigned = job.role === 'client' && isRefused(verdicts.error)
  if (unsigned)
    return (
      <div className="page">
        <Head>Check</Head>
        <p className="empty">Nothing has been signed for you yet.</p>
      </div>
    )
  return (
    <div className="page">
      <Head aside={georef.data?.stale ? 'the georeferencing is out of date' : ''}>Check</Head>
      <States of={verdicts} what="The verdicts">
        {rows.length === 0 && <p className="empty">Nothing is asked for. Set the requirement on the brief.</p>}
        {rows.length > 0 && <Overall bad={bad} open={open} of={rows.length} />}
        {rows.length > 0 && (
          <div className="ledger-box">
            <table className="ledger verdicts" aria-label="Verdict">
              <thead>
                <tr>
                  <th scope="col">Requirement</th>
                  <th scope="col" className="num">
                    required [{u.small}]
                  </th>
                  <th scope="col" className="num">
                    predicted [{u.small}]
                  </th>
                  <th scope="col" className="num">
                    achieved [{u.small}]
                  </th>
                  <th scope="col" style={{ width: 130 }}>
                    against the limit
                  </th>
                  <th scope="col">Verdict</th>
                  <th scope="col">Evidence</th>
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={r.requirement} data-verdict={r.verdict}>
                    <td>{r.requirement}</td>
                    <td className="num">{u.err(r.required)}</td>
                    <td className="num">{u.err(r.predicted)}</td>
                    <td className="num">
                      <b>{u.err(r.achieved)}</b>
                      {r.bound != null && (
                        <>
                          <br />
                          <span className="faint">at most {u.err(r.bound)} (95 %)</span>
                        </>
                      )}
                    </td>
                    <td>
                      <Against value={r.achieved} limit={r.required} label={r.requirement} />
                    </td>
                    <td>
                      <Grade value={r.verdict} />
                    </td>
                    <td>{r.evidence}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </States>
      {spacing && canEdit(job) && (
        <div className="bar">
          <Button loading={measure.isPending} onClick={() => measure.mutate(undefined)}>
            Measure point spacing on required surfaces
          </Button>
        </div>
      )}
      <Tasks kinds={['spacing']} ended={1} />
      <Caution>
        The verdict speaks of measured accuracy only. It never says that a boundary or a design is right: a licensed
        professional signs for those where the law asks for one.
      </Caution>
    </div>
  )
}

/** The answer to all rows together. */
function Overall({ bad, open, of }: { bad: number; open: number; of: number }) {
  if (bad)
    return (
      <VerdictCard
        tone="failed"
        title={`${bad} of ${of} requirements not met`}
        evidence={[
          'This data is not fit for what the client asked until the rows below are mended or the limit is changed by the client.',
        ]}
      />
    )
  if (open)
    return (
      <VerdictCard
        tone="doubtful"
        title={`${open} of ${of} requirements not demonstrated`}
        evidence={[
          'What is not demonstrated is not promised: the evidence column says what is missing or speaks against it.',
        ]}
      />
    )
  return (
    <VerdictCard
      tone="sound"
      title={`All ${of} requirements met`}
      evidence={['Shown by evidence that took no part in the result.']}
    />
  )
}
