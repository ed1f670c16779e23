import { Fragment, type ReactNode } from 'react'

export interface SmallRow {
  key: string
  cells: ReactNode[]
  /** What is said of the row, under it. */
  said?: string
  bad?: boolean
}

/** A table of a few rows, for reading. Heads that are objects stand over numbers. */
export function SmallTable(p: { name: string; heads: (string | { num: string })[]; rows: SmallRow[] }) {
  const num = p.heads.map((h) => (typeof h === 'object' ? 'num' : undefined))
  return (
    <table className="ledger" aria-label={p.name}>
      <thead>
        <tr>
          {p.heads.map((h, k) => (
            <th key={k} scope="col" className={num[k]}>
              {typeof h === 'object' ? h.num : h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {p.rows.map((r) => (
          <Fragment key={r.key}>
            <tr className={[r.said && 'above', r.bad && 'bad'].filter(Boolean).join(' ')}>
              {r.cells.map((c, k) => (
                <td key={k} className={num[k]}>
                  {c}
                </td>
              ))}
            </tr>
            {r.said && (
              <tr>
                <td colSpan={p.heads.length} className="faint">
                  {r.said}
                </td>
              </tr>
            )}
          </Fragment>
        ))}
      </tbody>
    </table>
  )
}
