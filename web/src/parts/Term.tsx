import { Tooltip } from 'antd'
import type { ReactNode } from 'react'
import { type TermName, TERMS } from '../lib/terms'

/** A term of the field; on pointing, focusing or touching it, what it means. */
export const Term = ({ of, children }: { of: TermName; children?: ReactNode }) => (
  <Tooltip title={TERMS[of]} trigger={['hover', 'focus', 'click']}>
    <button type="button" className="term" onClick={(e) => e.stopPropagation()}>
      {children ?? of}
      <span className="unseen">: {TERMS[of]}</span>
    </button>
  </Tooltip>
)
