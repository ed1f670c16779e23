import { useQueryClient } from '@tanstack/react-query'
import { Button, Input } from 'antd'
import { useState } from 'react'
import { api, unwrap } from '../api/client'
import { shell as words } from '../words'

export function SignIn() {
  const queries = useQueryClient()
  const [email, setEmail] = useState('')
  const [password, setPassword] = useState('')
  const [wrong, setWrong] = useState('')
  const [busy, setBusy] = useState(false)
  const go = async () => {
    setBusy(true)
    try {
      unwrap(await api.POST('/api/session', { body: { email, password } }))
      await queries.invalidateQueries()
    } catch (e) {
      setWrong((e as Error).message)
    } finally {
      setBusy(false)
    }
  }
  return (
    <main className="center">
      <div className="signin">
        <h1>{words.vistazo}</h1>
        <p className="faint">{words.fromScansToA}</p>
        <form
          onSubmit={(e) => {
            e.preventDefault()
            void go()
          }}
        >
          <label>
            {words.eMail}
            <Input name="email" autoComplete="username" value={email} onChange={(e) => setEmail(e.target.value)} />
          </label>
          <label>
            {words.password}
            <Input
              type="password"
              name="password"
              autoComplete="current-password"
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </label>
          {wrong && (
            <p role="alert" style={{ color: 'var(--red)', margin: 0 }}>
              {wrong}
            </p>
          )}
          <Button type="primary" htmlType="submit" loading={busy}>
            {words.signIn}
          </Button>
        </form>
      </div>
    </main>
  )
}
