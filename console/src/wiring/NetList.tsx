import { type KeyboardEvent, memo, type SyntheticEvent, useMemo } from 'react'
import type { Reading } from '../api/client'
import { marginText } from '../parts/margin'
import { verdictWord } from '../parts/VerdictMark'
import { words } from '../parts/words'
import { COLUMNS, type NetRow } from './cable'

const HEADS = {
  low: 'Low voltage',
  insulation: 'Insulation',
  dc: 'Withstand DC',
  ac: 'Withstand AC',
} as const

interface Props {
  rows: NetRow[]
  chosen: string
  onChoose: (net: string) => void
}

/** Nets, those that failed first: where they lead, and what each voltage read of them. */
export const NetList = memo(function NetList({ rows, chosen, onChoose }: Props) {
  const columns = useMemo(
    () => COLUMNS.filter((name) => rows.some((row) => row[name] !== undefined)),
    [rows],
  )
  const isTested = rows.some((row) => row.verdict !== '')

  /** Up and down go from net to net. */
  function move(event: KeyboardEvent<HTMLTableElement>) {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key]
    if (by === undefined) return
    event.preventDefault()
    const now = rows.findIndex((row) => row.net.name === chosen)
    const next = Math.min(rows.length - 1, Math.max(0, now + by))
    onChoose(rows[next]?.net.name ?? '')
    event.currentTarget.querySelectorAll<HTMLElement>('tbody tr[tabindex]')[next]?.focus()
  }

  /** One listener for all lines: a large harness has hundreds. */
  function point(event: SyntheticEvent<HTMLTableSectionElement>) {
    const line = event.target instanceof Element ? event.target.closest('tr') : null
    const net = line?.dataset.net ?? ''
    if (net !== '' && net !== chosen) onChoose(net)
  }

  return (
    <table className="nets" aria-label="Nets of the cable" onKeyDown={move}>
      <thead>
        <tr>
          {isTested && <th>Verdict</th>}
          <th>Net</th>
          <th>Contacts</th>
          {!isTested && <th>Wire</th>}
          {columns.map((name) => (
            <th key={name} className="number">
              {HEADS[name]}
            </th>
          ))}
        </tr>
      </thead>
      <tbody onMouseOver={point} onFocus={point}>
        {rows.map((row) => (
          <NetLine
            key={row.net.name}
            row={row}
            columns={columns}
            isTested={isTested}
            isChosen={row.net.name === chosen}
          />
        ))}
      </tbody>
    </table>
  )
})

interface LineProps {
  row: NetRow
  columns: (typeof COLUMNS)[number][]
  isTested: boolean
  isChosen: boolean
}

const NetLine = memo(function NetLine({ row, columns, isTested, isChosen }: LineProps) {
  const { net, faults, verdict, sort } = row
  const causes =
    faults.length === 0 ? '' : [...new Set(faults.map((each) => words(each.cause)))].join(', ')
  const wire = [net.colour, net.cross_section, net.length].filter(Boolean).join(', ')
  return (
    <tr
      tabIndex={isChosen ? 0 : -1}
      className={lookOf(isChosen, verdict === 'fail')}
      aria-current={isChosen || undefined}
      data-net={net.name}
    >
      {isTested && (
        <td className="verdict">
          {verdict === '' ? '–' : verdictWord(verdict)}
          {causes && <small> {causes}</small>}
        </td>
      )}
      <td>
        {net.name}
        {sort && <small> {sort}</small>}
      </td>
      <td className="contacts">{net.contacts.join(' – ')}</td>
      {!isTested && <td>{wire}</td>}
      {columns.map((name) => (
        <td key={name} className="number">
          <Told reading={row[name]} />
        </td>
      ))}
    </tr>
  )
})

function Told({ reading }: { reading: Reading | undefined }) {
  if (reading === undefined) return '–'
  const isWrong = reading.verdict !== '' && reading.verdict !== 'pass'
  return (
    <>
      <b className={isWrong ? 'bad' : undefined}>{reading.text}</b>
      {reading.limit !== '' && (
        <>
          <small> {marginText(reading.margin)}</small>
          <small className="limit"> {reading.limit}</small>
        </>
      )}
    </>
  )
}

function lookOf(isChosen: boolean, isWrong: boolean): string | undefined {
  if (isWrong) return isChosen ? 'chosen wrong' : 'wrong'
  return isChosen ? 'chosen' : undefined
}
