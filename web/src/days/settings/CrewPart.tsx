import { Checkbox, Input, Select } from 'antd'
import { Head } from '../../parts'
import { days as words } from '../../words'
import type { Part } from './DaySettings'
import { Amount, Named, Rows } from './entries'

/** Who comes, with which scanners, batteries and cards. */
export function CrewPart({ s, edit, set }: Part) {
  const names = s.people.map((name) => ({ name }))
  const free = () => s.people.findIndex((_, p) => s.scanners.every((x) => x.person !== p))
  return (
    <>
      <Head aside={words.whoCarriesNone}>{words.people}</Head>
      <Rows
        of={names}
        edit={edit}
        add={{ label: words.addAPerson, make: () => ({ name: words.personNr(s.people.length + 1) }) }}
        name={(p) => p.name}
        onChange={(of) => set({ people: of.map((p) => p.name) })}
      >
        {(p, put) => (
          <Input
            aria-label={words.name}
            style={{ width: 220 }}
            value={p.name}
            disabled={!edit}
            onChange={(e) => put({ name: e.target.value })}
          />
        )}
      </Rows>
      <Head aside={words.profileOfTheBrief}>{words.scanners}</Head>
      <Rows
        of={s.scanners}
        edit={edit}
        add={{
          label: words.addAScanner,
          make: () => ({
            name: words.scannerNr(s.scanners.length + 1),
            person: Math.max(0, free()),
            batteries: 3,
            cards: 2,
            card: 64e9,
            tracks: false,
          }),
        }}
        name={(x) => x.name}
        onChange={(scanners) =>
          set({ scanners, stations: (s.stations ?? []).filter((a) => a.scanner < scanners.length) })
        }
      >
        {(x, put) => (
          <>
            <Input
              aria-label={words.name}
              style={{ width: 120 }}
              value={x.name}
              disabled={!edit}
              onChange={(e) => put({ name: e.target.value })}
            />
            <Select
              aria-label={words.carriedByWhom}
              value={x.person}
              disabled={!edit}
              style={{ minWidth: 110 }}
              onChange={(person) => put({ person })}
              options={s.people.map((label, value) => ({ value, label }))}
            />
            <Amount
              label={words.batteries}
              value={x.batteries}
              unit={words.batteriesShort}
              digits={0}
              least={1}
              width={112}
              edit={edit}
              onChange={(v) => put({ batteries: v ?? 1 })}
            />
            <Amount
              label={words.cards}
              value={x.cards}
              unit={words.cardsShort}
              digits={0}
              least={1}
              width={96}
              edit={edit}
              onChange={(v) => put({ cards: v ?? 1 })}
            />
            <Amount
              label={words.cardSize}
              value={x.card}
              unit="GB"
              per={1e9}
              digits={0}
              width={96}
              edit={edit}
              onChange={(v) => put({ card: v ?? 0 })}
            />
            <Checkbox checked={x.tracks} disabled={!edit} onChange={(e) => put({ tracks: e.target.checked })}>
              {words.tracksItsPosition}
            </Checkbox>
          </>
        )}
      </Rows>
      <ControlPart {...{ s, edit, set }} />
    </>
  )
}

/** Targets at hand, and control that is occupied. */
function ControlPart({ s, edit, set }: Part) {
  return (
    <div className="fields">
      <Named label={words.targetsThatCanStand}>
        <Amount
          label={words.targetsThatCanStand}
          value={s.stock}
          unit=""
          digits={0}
          least={3}
          edit={edit}
          onChange={(stock) => set({ stock })}
        />
      </Named>
      <Named label={words.controlToOccupy}>
        <Checkbox
          checked={s.control.occupy}
          disabled={!edit}
          onChange={(e) => set({ control: { ...s.control, occupy: e.target.checked } })}
        >
          {words.occupyTwice}
        </Checkbox>
      </Named>
      <Named label={words.oneOccupation}>
        <Amount
          label={words.oneOccupation}
          value={s.control.seconds}
          unit="min"
          per={60}
          edit={edit}
          onChange={(v) => set({ control: { ...s.control, seconds: v ?? 240 } })}
        />
      </Named>
      <Named label={words.apartAtLeast}>
        <Amount
          label={words.apartAtLeast}
          value={s.control.apart}
          unit="min"
          per={60}
          digits={0}
          edit={edit}
          onChange={(v) => set({ control: { ...s.control, apart: v ?? 0 } })}
        />
      </Named>
    </div>
  )
}
