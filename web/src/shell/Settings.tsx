import { Modal, Segmented, Switch } from 'antd'
import { angle, num } from '../lib/format'
import { change, type Settings, useSettings } from '../lib/settings'
import { shell as words } from '../words'

const KEYS: [string, string][] = [
  ['1 … 7', words.goToASheet],
  ['?', words.showThis],
  ['s t w', words.planPlaceAStation],
  ['o c f a e h', words.planAnObstacleA],
  ['v', words.planPickAndMove],
  ['n p', words.planGoToThe],
  [words.arrowKeys, words.planMoveWhatIs],
  ['+ −', words.planNearerFarther],
  ['l', words.planLockThePicked],
  ['Delete', words.planRemoveWhatIs],
  [words.ctrlZCtrlY, words.planAndControlUndo],
  ['Esc', words.leaveWhatIsBegun],
  ['m', words.cloudMeasureBetweenPoints],
  ['Backspace', words.cloudTakeBackThe],
  [words.arrowKeys2, words.cloudTurnAndMove],
  ['g r', words.registerRunOneKey],
  ['n p', words.nextAndPreviousTie],
  ['g f', words.georeferenceFitOneKey],
  [words.homeEnd, words.ledgersGoThroughThe],
]

/** How one likes to read, and the keys. */
export function SettingsDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const s = useSettings()
  return (
    <Modal open={open} onCancel={onClose} footer={null} title={words.readingAndKeys} width={620}>
      <div className="fields">
        <div className="field">
          <span className="label">{words.sheet}</span>
          <Segmented<Settings['theme']>
            aria-label={words.sheet}
            value={s.theme}
            onChange={(theme) => change({ theme })}
            options={[
              { value: 'system', label: words.asTheSystem },
              { value: 'light', label: words.light },
              { value: 'dark', label: words.dark },
              { value: 'contrast', label: words.highContrast },
            ]}
          />
        </div>
        <div className="field">
          <span className="label">{words.decimalSign(num(12.5, 1))}</span>
          <Segmented<Settings['decimal']>
            aria-label={words.decimalSignText}
            value={s.decimal}
            onChange={(decimal) => change({ decimal })}
            options={[
              { value: '.', label: words.point },
              { value: ',', label: words.comma },
            ]}
          />
        </div>
        <div className="field">
          <span className="label">{words.directions(angle(1))}</span>
          <Segmented<Settings['angles']>
            aria-label={words.directionsText}
            value={s.angles}
            onChange={(angles) => change({ angles })}
            options={[
              { value: 'deg', label: words.degrees },
              { value: 'gon', label: words.gon },
              { value: 'dms', label: '° ′ ″' },
            ]}
          />
        </div>
        <div className="field">
          <label>
            <Switch size="small" checked={s.keys} onChange={(keys) => change({ keys })} />
            {words.singleLettersAct}
          </label>
        </div>
      </div>
      <table className="ledger" aria-label={words.keys} style={{ marginTop: 14 }}>
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
