import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import type { Schema } from '../api/client'
import { dismissAll } from '../lib/errors'
import { type Answer, refused, serve, show } from '../testing/page'
import { SignIn } from './SignIn'
import { Tasks } from './Tasks'

type Task = Schema['Task']
const task = (id: string, part: Partial<Task>): Task => ({
  id,
  job_id: 'j',
  kind: 'ingest',
  payload: { name: `${id}.e57` } as unknown as Task['payload'],
  state: 'done',
  progress: 1,
  message: '',
  attempts: 1,
  cancel: false,
  created_at: '2026-03-01T07:00:00Z',
  ...part,
})
const running = task('a', {
  state: 'running',
  progress: 0.25,
  message: 'reading a.e57',
  started_at: new Date(Date.now() - 60_000).toISOString(),
})
let tasks: Task[]
const open = (role = 'owner') => show(<Tasks kinds={['ingest']} />, { role })
const rows = async () => {
  await screen.findByRole('group')
  return [...document.querySelectorAll<HTMLElement>('.task')]
}
let sent: ReturnType<typeof serve>
beforeEach(() => {
  dismissAll()
  tasks = []
  sent = serve({
    'GET /tasks': () => ({ body: tasks }),
    'DELETE /tasks/[^/]+': () => ({ status: 204, body: null }),
    'POST /tasks/[^/]+/retry': () => ({ body: running }),
    'POST /tasks/retry': () => ({ body: [] }),
  })
})

describe('background work', () => {
  it('shows what runs first, then what failed, then what ended last', async () => {
    tasks = [
      ...Array.from({ length: 9 }, (_, k) => task(`d${k}`, {})),
      task('f', { state: 'failed', message: 'line 4: found “x”' }),
      task('q', { state: 'queued' }),
      running,
      task('other', { kind: 'package' }),
    ]
    open()
    expect((await rows()).map((r) => r.dataset.state)).toEqual(['running', 'queued', 'failed', 'done', 'done', 'done'])
  })
  it('says how long it will still take, by how long it took so far', async () => {
    tasks = [running]
    open()
    const [row] = await rows()
    // a quarter took a minute
    expect(row!.textContent).toContain('3 min')
    expect(within(row!).getByRole('progressbar').getAttribute('value')).toBe('0.25')
  })
  it('is cancelled and tried again, one by one or all', async () => {
    tasks = [running, task('f', { state: 'failed' }), task('g', { state: 'failed' })]
    open()
    const [first, second] = await rows()
    fireEvent.click(within(first!).getByRole('button'))
    fireEvent.click(within(second!).getByRole('button'))
    fireEvent.click(screen.getAllByRole('button').at(-1)!)
    await waitFor(() =>
      expect(sent.map((s) => s.call)).toEqual([
        'DELETE /api/jobs/j/tasks/a',
        'POST /api/jobs/j/tasks/f/retry',
        'POST /api/jobs/j/tasks/retry',
      ]),
    )
  })
  it('is looked at, not changed, by one who may not', async () => {
    tasks = [running, task('f', { state: 'failed' })]
    open('reviewer')
    expect(await rows()).toHaveLength(2)
    expect(screen.queryByRole('button')).toBeNull()
  })
  it('takes no room where there is none', async () => {
    const { container } = open()
    await new Promise((r) => setTimeout(r, 20))
    expect(container.textContent).toBe('')
  })
})

describe('signing in', () => {
  const enter = (email: string, password: string) => {
    fireEvent.change(document.querySelector('[name=email]')!, { target: { value: email } })
    fireEvent.change(document.querySelector('[name=password]')!, { target: { value: password } })
    fireEvent.submit(document.querySelector('form')!)
  }
  it('says why it was refused, and keeps what was typed', async () => {
    let answer: Answer = refused('no such person, or another password', 401)
    const sent = serve({ 'POST /session': () => answer })
    show(<SignIn />)
    enter('ada@test.example', 'wrong')
    expect((await screen.findByRole('alert')).textContent).toBe('no such person, or another password')
    expect(document.querySelector<HTMLInputElement>('[name=email]')!.value).toBe('ada@test.example')
    answer = { body: { name: 'Ada' } }
    enter('ada@test.example', 'right')
    await waitFor(() => expect(sent).toHaveLength(2))
    expect(sent[1]!.body).toEqual({ email: 'ada@test.example', password: 'right' })
  })
})
