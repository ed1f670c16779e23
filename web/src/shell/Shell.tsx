import { useQuery } from '@tanstack/react-query'
import { Spin } from 'antd'
import { Navigate, Route, Routes } from 'react-router-dom'
import { api, type Schema, unwrap } from '../api/client'
import { JobFrame } from './JobFrame'
import { Jobs } from './Jobs'
import { SignIn } from './SignIn'
import { shell as words } from '../words'

export type User = Schema['User']

/** Who is signed in decides what is shown: the sign-in, the list of jobs, or a job. */
export function Shell() {
  const me = useQuery({
    queryKey: ['me'],
    retry: false,
    queryFn: async () => {
      const answer = await api.GET('/api/me')
      return answer.response.status === 401 ? null : unwrap(answer)
    },
  })
  if (me.isPending)
    return (
      <div className="center">
        <Spin />
      </div>
    )
  if (me.isError)
    return (
      <div className="center">
        <p>
          {words.theServerCannotBe}
          <button onClick={() => void me.refetch()}>{words.tryAgain}</button>
        </p>
      </div>
    )
  if (!me.data) return <SignIn />
  return (
    <Routes>
      <Route path="/" element={<Jobs user={me.data} />} />
      <Route path="/jobs/:id" element={<Navigate to="brief" replace />} />
      <Route path="/jobs/:id/:sheet" element={<JobFrame user={me.data} />} />
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  )
}
