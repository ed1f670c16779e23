import { Tooltip } from 'antd'
import type { ReactNode } from 'react'
import { terms } from '../words'

/** A term of the field; on pointing, focusing or touching it, what it means. */
export const Term = ({ of, children }: { of: keyof typeof terms; children?: ReactNode }) => (
  <Tooltip title={terms[of].means} trigger={['hover', 'focus', 'click']}>
    <button type="button" className="term" onClick={(e) => e.stopPropagation()}>
      {children ?? terms[of].name}
      <span className="unseen">: {terms[of].means}</span>
    </button>
  </Tooltip>
)
