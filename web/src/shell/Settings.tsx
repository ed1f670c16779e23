import { Modal, Segmented, Switch } from 'antd'
import { angle, num } from '../lib/format'
import { change, type Settings, useSettings } from '../lib/settings'

const KEYS: [string, string][] = [
  ['1 … 7', 'go to a sheet'],
  ['?', 'show this'],
  ['s t w', 'plan: place a station, a target, draw a wall'],
  ['o c f a e h', 'plan: an obstacle, a column, a floor, an area, a breakline, a spot height'],
  ['v', 'plan: pick and move'],
  ['n p', 'plan: go to the next item, the one before'],
  ['arrow keys', 'plan: move what is picked by 0.1, with Shift by 1; with nothing picked, move the view'],
  ['+ −', 'plan: nearer, farther'],
  ['l', 'plan: lock the picked stations'],
  ['Delete', 'plan: remove what is picked'],
  ['Ctrl Z, Ctrl Y', 'plan and control: undo, redo'],
  ['Esc', 'leave what is begun'],
  ['m', 'cloud: measure between points'],
  ['Backspace', 'cloud: take back the last measured point'],
  ['arrow keys, + −', 'cloud: turn and move the view, when it has the focus'],
  ['g r', 'register: run, one key after the other'],
  ['n p', 'next and previous tie by clouds, while one is open'],
  ['g f', 'georeference: fit, one key after the other'],
  ['↑ ↓ Home End', 'ledgers: go through the rows; Enter picks, Ctrl C copies'],
]

/** How one likes to read, and the keys. */
export function SettingsDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const s = useSettings()
  return (
    <Modal open={open} onCancel={onClose} footer={null} title="Reading and keys" width={620}>
      <div className="fields">
        <div className="field">
          <span className="label">Sheet</span>
          <Segmented<Settings['theme']>
            aria-label="Sheet"
            value={s.theme}
            onChange={(theme) => change({ theme })}
            options={[
              { value: 'system', label: 'as the system' },
              { value: 'light', label: 'light' },
              { value: 'dark', label: 'dark' },
              { value: 'contrast', label: 'high contrast' },
            ]}
          />
        </div>
        <div className="field">
          <span className="label">Decimal sign: {num(12.5, 1)}</span>
          <Segmented<Settings['decimal']>
            aria-label="Decimal sign"
            value={s.decimal}
            onChange={(decimal) => change({ decimal })}
            options={[
              { value: '.', label: 'point' },
              { value: ',', label: 'comma' },
            ]}
          />
        </div>
        <div className="field">
          <span className="label">Directions: {angle(1)}</span>
          <Segmented<Settings['angles']>
            aria-label="Directions"
            value={s.angles}
            onChange={(angles) => change({ angles })}
            options={[
              { value: 'deg', label: 'degrees' },
              { value: 'gon', label: 'gon' },
              { value: 'dms', label: '° ′ ″' },
            ]}
          />
        </div>
        <div className="field">
          <label>
            <Switch size="small" checked={s.keys} onChange={(keys) => change({ keys })} /> single letters act
          </label>
        </div>
      </div>
      <table className="ledger" aria-label="Keys" style={{ marginTop: 14 }}>
        <tbody>
          {KEYS.map(([k, w]) => (
            <tr key={`${k} ${w}`}>
              <td>
                <b>{k}</b>
              </td>
              <td>{w}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Modal>
  )
}
