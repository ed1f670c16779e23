import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { limitAt } from '../plan/limits'
import type { Item } from '../lib/hooks'
import { UnitContext, unitsOf } from '../lib/units'
import { serve, show } from '../testing/page'
import { Cover } from './Cover'
import { fromAbove, pieceOf, type Shown, type Surface } from './covered'

// a wall that runs north: pieces half a metre wide, two high
const cell = (along: number, z: number, spacing: number, beside: number, planned: number) => [
  10,
  along,
  z,
  along,
  0.5,
  1,
  spacing,
  beside,
  planned,
]
const wall: Surface = {
  item: 'w',
  name: 'East wall',
  kind: 'wall',
  required: 0.02,
  length: 1,
  base: 0,
  top: 2,
  area: 2,
  within: 1,
  planned: 1.5,
  cells: [
    cell(0.25, 0.5, 0.01, 0, 1),
    cell(0.25, 1.5, 0, 0, 1),
    cell(0.75, 0.5, 0.015, 0, 1),
    cell(0.75, 1.5, 0.03, 0, 0),
  ],
}
const shown: Shown = {
  stale: false,
  within: 1,
  total: 2,
  planned: 1.5,
  surfaces: [wall],
  holes: [
    {
      item: 'w',
      surface: 'East wall',
      at: [10, 0.25, 1.5],
      along: [0, 0.5],
      heights: [1, 2],
      area: 0.5,
      lacks: [0.5, 0, 0],
      beside: null,
      planned: 1,
    },
    {
      item: 'w',
      surface: 'East wall',
      at: [10, 0.75, 1.5],
      along: [0.5, 1],
      heights: [1, 2],
      area: 0.5,
      lacks: [0, 0, 0.5],
      beside: -0.09,
      planned: 0,
    },
  ],
  small: 0,
  fillings: [
    { position: [8, 1, 1.65], area: 0.9, holes: [0, 1], beside: 'S2', overlap: 0.41 },
    { position: [7, 9, 1.65], area: 0.3, holes: [], beside: 'S1', overlap: 0.12 },
  ],
  beyond: 0,
  stations: [{ name: 'S2', position: [5, 1, 1.65] }],
}
function open(body: Shown | null, { unit = 'm', role = 'owner' } = {}) {
  const sent = serve({
    'GET /shown': () => ({ body }),
    'GET /plan': () => ({ body: [{ id: 's', kind: 'station', version: 1, data: { name: 'S2', order: 4 } }] }),
    'GET /tasks': () => ({ body: [] }),
    'POST /spacing': () => ({ body: {} }),
    'POST /plan/edits': () => ({ body: [] }),
  })
  show(
    <UnitContext value={unitsOf(unit)}>
      <Cover />
    </UnitContext>,
    { role },
  )
  return sent
}

describe('cover achieved', () => {
  it('tells pieces apart, and lets the worst of a column speak from above', () => {
    expect(wall.cells.map((c) => pieceOf(c, wall.required))).toEqual(['within', 'nothing', 'within', 'coarse'])
    expect(pieceOf(cell(0, 0, 0.03, 0.09, 1), 0.02)).toBe('beside')
    expect(fromAbove(wall)).toEqual([
      {
        line: [
          [10, 0],
          [10, 0.5],
        ],
        piece: 'nothing',
      },
      {
        line: [
          [10, 0.5],
          [10, 1],
        ],
        piece: 'coarse',
      },
    ])
  })
  it('says how much, what is wrong where, and what would mend it', async () => {
    const sent = open(shown)
    expect((await screen.findByText(/50\.0 %/)).textContent).toBe(
      '50.0 % of 2 m² has the spacing that is asked for; the plan said 75.0 %.',
    )
    const holes = within(screen.getByRole('table', { name: 'Where cover falls short' })).getAllByRole('row')
    expect(holes[1]!.textContent).toContain('something stood before it')
    expect(holes[2]!.textContent).toContain('a surface lies about 0.09 m beside it')
    const fill = within(screen.getByRole('region', { name: 'What would fill it' })).getAllByRole('listitem')
    expect(fill[0]!.textContent).toContain('brings 0.9 m², most of 1, 2. Shares 41 % with S2.')
    expect(fill.map((f) => f.textContent.includes('ties it badly'))).toEqual([false, true])
    const put = within(fill[0]!).getByRole<HTMLButtonElement>('button', { name: 'Put it on the plan' })
    await waitFor(() => expect(put.disabled).toBe(false))
    fireEvent.click(put)
    await waitFor(() => expect(sent).toHaveLength(1))
    const [edit] = sent[0]!.body as { kind: string; data: { position: number[]; order: number } }[]
    expect([edit!.kind, edit!.data.position, edit!.data.order]).toEqual(['station', [8, 1, 1.65], 5])
  })
  it('goes from a hole on the map to its row and its wall', async () => {
    open(shown)
    const map = await screen.findByRole('group', { name: /holes by number/ })
    fireEvent.click([...map.querySelectorAll('.hole')][1]!)
    expect(screen.getByRole('group', { name: /East wall/ })).toBeTruthy()
    const row = within(screen.getByRole('table', { name: 'Where cover falls short' })).getAllByRole('row')[2]!
    expect(row.getAttribute('aria-selected') ?? row.className).toMatch(/true|selected|on/)
  })
  it('speaks feet, measures nothing for a reviewer, and asks for it before it was done', async () => {
    open(shown, { unit: 'ft', role: 'reviewer' })
    expect(await screen.findByText(/of 22 ft²/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: /^Measure|Put it/ })).toBeNull()
    document.body.replaceChildren()
    const sent = open(null)
    fireEvent.click(await screen.findByRole('button', { name: 'Measure point spacing on required surfaces' }))
    await waitFor(() => expect(sent.map((s) => s.call)).toEqual(['POST /api/jobs/j/spacing']))
  })
})

describe('limits of a part of the site', () => {
  const area = (line: number[][], spatial95: number, use = 'limits') =>
    ({ kind: 'area', data: { area: use, line, spatial95 } }) as unknown as Item
  const square = (x: number, r: number) => [
    [x - r, -r],
    [x + r, -r],
    [x + r, r],
    [x - r, r],
  ]
  it('are those of the smallest area that holds a place, else the brief’s', () => {
    const at = limitAt(
      [area(square(0, 10), 0.02), area(square(5, 2), 0.003), area(square(0, 50), 0.1, 'hazard')],
      0.006,
    )
    expect(
      [
        [0, 0],
        [5, 1],
        [5, 3],
        [20, 0],
      ].map((p) => at(p)),
    ).toEqual([0.02, 0.003, 0.02, 0.006])
    expect(limitAt([], null)([0, 0])).toBeNull()
  })
})
