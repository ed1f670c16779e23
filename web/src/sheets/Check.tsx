import { Segmented } from 'antd'
import type { Schema } from '../api/client'
import { useChoice } from '../lib/choice'
import { isRefused, useJob, useRead } from '../lib/hooks'
import { useUnits } from '../lib/units'
import { Against, Caution, Grade, Head, States, VerdictCard } from '../parts'
import { Clean } from '../check/Clean'
import { Designs } from '../check/Designs'
import { Photos } from '../check/Photos'
import { Compare } from '../check/Compare'
import { Cover } from '../check/Cover'
import { Slices } from '../check/Slices'
import { Surveys } from '../check/Survey'
import { check as words } from '../words'

/** Required, predicted, achieved, evidence, and the answer: a row for each requirement. */
export default function Check() {
  const job = useJob()
  const u = useUnits()
  const verdicts = useRead('/api/jobs/{job}/verdicts')
  const georef = useRead('/api/jobs/{job}/georeference', job.role !== 'client')
  const [view, setView] = useChoice(PARAM, VIEWS)
  const rows = verdicts.data ?? []
  const common = sharedGrounds(rows)
  const bad = rows.filter((r) => r.verdict === 'not met').length
  const open = rows.filter((r) => r.verdict === 'not demonstrated').length
  // a client sees verdicts once a package was signed
  const unsigned = job.role === 'client' && isRefused(verdicts.error)
  if (unsigned)
    return (
      <div className="page">
        <Head>{words.check}</Head>
        <p className="empty">{words.nothingHasBeenSigned}</p>
      </div>
    )
  return (
    <div className="page">
      <Head aside={georef.data?.stale ? words.theGeoreferencingIsOut : ''}>{words.check}</Head>
      <States of={verdicts} what={words.theVerdicts}>
        {rows.length === 0 && <p className="empty">{words.nothingIsAskedFor}</p>}
        {rows.length > 0 && <Overall bad={bad} open={open} of={rows.length} common={common} />}
        {rows.length > 0 && (
          <div className="ledger-box">
            <table className="ledger verdicts" aria-label={words.verdict}>
              <thead>
                <tr>
                  <th scope="col">{words.requirement}</th>
                  <th scope="col" className="num">
                    {words.required(u.small)}
                  </th>
                  <th scope="col" className="num">
                    {words.predicted(u.small)}
                  </th>
                  <th scope="col" className="num">
                    {words.achieved(u.small)}
                  </th>
                  <th scope="col" style={{ width: 130 }}>
                    {words.againstTheLimit}
                  </th>
                  <th scope="col">{words.verdict}</th>
                  <th scope="col">{words.evidence}</th>
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={r.requirement} data-verdict={r.verdict}>
                    <td>{r.requirement}</td>
                    <td className="num" data-head={words.required(u.small)}>
                      {u.err(r.required)}
                    </td>
                    <td className="num" data-head={words.predicted(u.small)}>
                      {u.err(r.predicted)}
                    </td>
                    <td className="num" data-head={words.achieved(u.small)}>
                      <b>{u.err(r.achieved)}</b>
                      {r.bound != null && (
                        <>
                          <br />
                          <span className="faint">{words.atMost95(u.err(r.bound))}</span>
                        </>
                      )}
                    </td>
                    <td>
                      {r.required != null && <Against value={r.achieved} limit={r.required} label={r.requirement} />}
                    </td>
                    <td>
                      <Grade value={r.verdict} />
                    </td>
                    <td>
                      {own(r, common)} <See of={r.asked ?? null} onView={setView} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </States>
      <Caution>{words.theVerdictSpeaksOf}</Caution>
      {job.role !== 'client' && <Evidence view={view} onView={setView} />}
    </div>
  )
}

const VIEWS = ['scans', 'cover', 'slices', 'survey', 'design', 'cleaning', 'colours'] as const
type View = (typeof VIEWS)[number]
const OPTIONS = VIEWS.map((value) => ({ value, label: words.views[value] }))
/** Where the evidence of a requirement stands. */
const EVIDENCE: Partial<Record<string, View>> = {
  agreement: 'scans',
  spacing: 'cover',
  survey: 'survey',
  design: 'design',
}
const PARAM = 'evidence'

/** The way from a requirement to what speaks for it. */
function See({ of, onView }: { of: string | null; onView: (v: View) => void }) {
  const view = EVIDENCE[of ?? '']
  if (!view) return null
  return (
    <button type="button" className="link" onClick={() => onView(view)}>
      {words.seeTheEvidence}
    </button>
  )
}

/** One kind of evidence at a time: each is long. */
function Evidence({ view, onView }: { view: View; onView: (v: View) => void }) {
  return (
    <>
      <div className="bar views">
        <Segmented<View> aria-label={words.view} value={view} onChange={onView} options={OPTIONS} />
      </div>
      {view === 'scans' && <Compare />}
      {view === 'cover' && <Cover />}
      {view === 'slices' && <Slices />}
      {view === 'survey' && <Surveys />}
      {view === 'design' && <Designs />}
      {view === 'cleaning' && <Clean />}
      {view === 'colours' && <Photos />}
    </>
  )
}

type Row = Schema['VerdictDto']

/** What at least three rows rest on: said once. */
function sharedGrounds(rows: Row[]): string[] {
  const all = [...new Set(rows.flatMap((r) => r.grounds ?? []))]
  return all.filter((g) => rows.filter((r) => r.grounds?.includes(g)).length >= 3)
}

/** What a row rests on beside that. */
function own(r: Row, common: string[]): string {
  const shared = r.grounds?.some((g) => common.includes(g))
  if (!shared) return r.evidence
  return [words.asAbove, ...r.grounds!.filter((g) => !common.includes(g))].join('; ')
}

/** The answer to all rows together. */
function Overall({ bad, open, of, common }: { bad: number; open: number; of: number; common: string[] }) {
  if (bad)
    return (
      <VerdictCard
        tone="failed"
        title={words.ofRequirementsNotMet(bad, of)}
        evidence={[words.thisDataIsNot, ...common]}
      />
    )
  if (open)
    return (
      <VerdictCard
        tone="doubtful"
        title={words.ofRequirementsNotDemonstrated(open, of)}
        evidence={[words.whatIsNotDemonstrated, ...common]}
      />
    )
  return <VerdictCard tone="sound" title={words.allRequirementsMet(of)} evidence={[words.shownByEvidenceThat]} />
}
