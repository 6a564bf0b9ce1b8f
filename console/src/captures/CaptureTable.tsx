import { useState } from 'react'
import { type Captured, entryOf, type Item, inOrder } from './captured'

interface Props {
  captured: Captured
  chosen: string
  isLocked: boolean
  onChoose: (name: string) => void
  onDecide: (item: Item, choice: 'accepted' | 'refused', typed: Record<string, string>) => void
}

/** Each thing that was found: what each unit read, what it may have, and what is decided. */
export function CaptureTable({ captured, chosen, isLocked, onChoose, onDecide }: Props) {
  const isCable = captured.family === 'cable'
  return (
    <table
      className="nets"
      aria-label={isCable ? 'Captured nets and components' : 'Captured windings and pins'}
    >
      <thead>
        <tr>
          <th>Decided</th>
          <th>Name</th>
          {isCable ? (
            <th>Contacts</th>
          ) : (
            <>
              <th>Starts at</th>
              <th>Ends at</th>
            </>
          )}
          {captured.units.map((each) => (
            <th key={each.serial} className="number">
              {each.serial}
            </th>
          ))}
          <th>{isCable ? 'Least, or value' : 'Resistance at 20 °C'}</th>
          <th>{isCable ? 'Most, or tolerance' : 'Tolerance'}</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {inOrder(captured.items).map((item) => (
          <Line
            key={item.key}
            item={item}
            isChosen={(entryOf(item).name ?? item.name) === chosen}
            isLocked={isLocked}
            onChoose={onChoose}
            onDecide={onDecide}
          />
        ))}
      </tbody>
    </table>
  )
}

const EDGES: Partial<Record<Item['sort'], [string, string]>> = {
  net: ['minimum', 'maximum'],
  winding: ['resistance', 'tolerance'],
}

interface LineProps {
  item: Item
  isChosen: boolean
  isLocked: boolean
  onChoose: Props['onChoose']
  onDecide: Props['onDecide']
}

function Line({ item, isChosen, isLocked, onChoose, onDecide }: LineProps) {
  const [typed, setTyped] = useState<Record<string, string>>({})
  const entry: Record<string, string> = { ...entryOf(item), ...typed }
  const isOpen = item.standing === 'open'
  const isWrong = isOpen && item.differs.length > 0
  const [least, most] = EDGES[item.sort] ?? ['value', 'tolerance']
  const isTyped = Object.keys(typed).length > 0

  function field(name: string, width: string) {
    return (
      <input
        aria-label={`${name} of ${item.name}`}
        style={{ width }}
        value={entry[name] ?? ''}
        disabled={isLocked}
        onFocus={() => onChoose(entryOf(item).name ?? item.name)}
        onChange={(event) => setTyped((was) => ({ ...was, [name]: event.target.value }))}
      />
    )
  }

  function decide(choice: 'accepted' | 'refused') {
    onDecide(item, choice, choice === 'accepted' ? typed : {})
    setTyped({})
  }

  return (
    <tr
      className={[isChosen && 'chosen', isWrong && 'wrong'].filter(Boolean).join(' ')}
      onMouseEnter={() => onChoose(entryOf(item).name ?? item.name)}
    >
      <td className="verdict">
        {isWrong ? 'differs' : item.standing}
        {item.position && <small> {item.position}</small>}
      </td>
      <td>
        {item.sort === 'pin' ? item.name : field('name', '7em')}
        {item.sort !== 'net' && item.sort !== 'pin' && <small> {item.sort}</small>}
        {item.sort === 'net' && (
          <label>
            <input
              type="checkbox"
              className="tick"
              aria-label={`${item.name} is a shield`}
              checked={entry.shield === 'yes'}
              disabled={isLocked}
              onChange={(event) =>
                setTyped((was) => ({ ...was, shield: event.target.checked ? 'yes' : '' }))
              }
            />
            <small> shield</small>
          </label>
        )}
      </td>
      {item.sort === 'winding' ? (
        <>
          <td>{field('start', '4em')}</td>
          <td>{field('end', '4em')}</td>
        </>
      ) : (
        <td className="contacts" colSpan={item.sort === 'pin' ? 2 : 1}>
          {item.contacts.join(' – ')}
        </td>
      )}
      {item.measured.map((text, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: by unit, whose order is fixed
        <td key={place} className="number">
          {text || <b className="bad">not there</b>}
        </td>
      ))}
      <td>{item.sort !== 'pin' && field(least, '6.5em')}</td>
      <td>{item.sort !== 'pin' && field(most, '6.5em')}</td>
      <td className="acts">
        <button
          type="button"
          className="act"
          disabled={
            isLocked || (item.standing !== 'open' && item.standing !== 'refused' && !isTyped)
          }
          onClick={() => decide('accepted')}
        >
          {isTyped ? 'Accept changed' : 'Accept'}
        </button>
        <button
          type="button"
          className="act"
          disabled={isLocked || item.standing === 'refused'}
          onClick={() => decide('refused')}
        >
          Refuse
        </button>
      </td>
    </tr>
  )
}
