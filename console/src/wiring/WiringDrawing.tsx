import { memo, useMemo } from 'react'
import type { Cable, NetRow } from './cable'
import { type Drawing, drawingOf, LINE, type Plug } from './layout'

interface Props {
  cable: Cable
  position: string
  rows: NetRow[]
  faults: NetRow['faults']
  chosen: string
  onChoose: (net: string) => void
  zoom: number
}

/**
 * The connectors of a cable with the wires between: an open wire is broken, a short is a bar
 * between two contacts, crossed wires are drawn to where they really end. Its words are the list's.
 */
export function WiringDrawing({ cable, position, rows, faults, chosen, onChoose, zoom }: Props) {
  const drawing = useMemo(() => drawingOf(cable, position, faults), [cable, position, faults])
  const wrong = useMemo(
    () => new Set(rows.filter((row) => row.verdict === 'fail').map((row) => row.net.name)),
    [rows],
  )
  const netOf = useMemo(() => {
    const found = new Map<string, string>()
    for (const { net, sort } of rows) {
      if (sort !== '' && sort !== 'shield') continue
      for (const contact of net.contacts) found.set(contact, net.name)
    }
    return found
  }, [rows])
  return (
    <svg
      role="img"
      aria-label={summary(cable, rows, faults)}
      viewBox={`-2 -2 ${drawing.width + 4} ${drawing.height + 4}`}
      width={(drawing.width + 4) * zoom}
      height={(drawing.height + 4) * zoom}
      className="wiring-drawing"
    >
      <title>{summary(cable, rows, faults)}</title>
      {drawing.plugs.map((plug) => (
        <PlugBox key={plug.code} plug={plug} />
      ))}
      <Contacts drawing={drawing} netOf={netOf} chosen={chosen} onChoose={onChoose} />
      {drawing.wires.map(({ net, isShield, path, middle, isOpen }) => {
        const isChosen = net.name === chosen
        const looks = [
          'wire',
          isShield && 'shield',
          wrong.has(net.name) && 'wrong',
          isOpen && 'open',
          isChosen && 'chosen',
        ]
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: the list beside it has the keys
          <g
            key={`${net.name} ${path}`}
            className={looks.filter(Boolean).join(' ')}
            onMouseEnter={() => onChoose(net.name)}
          >
            <path d={path} className="reach" />
            <path d={path} />
            {isOpen && (
              <>
                <circle cx={middle.x} cy={middle.y} r={13} className="gap" />
                <path
                  d={`M${middle.x - 13} ${middle.y - 8}v16M${middle.x + 13} ${middle.y - 8}v16`}
                />
              </>
            )}
            {isChosen && (
              <text x={middle.x} y={middle.y - 6} textAnchor="middle">
                {net.name}
              </text>
            )}
          </g>
        )
      })}
      {drawing.parts.map(({ name, path, middle, text }) => (
        <g
          key={name}
          className={['part', wrong.has(name) && 'wrong', name === chosen && 'chosen']
            .filter(Boolean)
            .join(' ')}
        >
          <path d={path} />
          <rect x={middle.x - 6} y={middle.y - 12} width={12} height={24} />
          {wrong.has(name) && (
            <path
              d={`M${middle.x - 10} ${middle.y - 8}l20 16M${middle.x + 10} ${middle.y - 8}l-20 16`}
            />
          )}
          <text x={middle.x + 14} y={middle.y + 4}>
            {text}
          </text>
        </g>
      ))}
      {drawing.marks.map(({ sort, path, middle, contacts }) => (
        <g key={`${sort} ${path}`} className={`mark ${sort}`}>
          <path d={path} />
          {sort === 'bridge' && (
            <path
              d={`M${middle.x - 5} ${middle.y - 5}l10 10M${middle.x + 5} ${middle.y - 5}l-10 10`}
            />
          )}
          {sort === 'unplugged' && (
            <text x={middle.x} y={middle.y} textAnchor={middle.x > 300 ? 'end' : 'start'}>
              not plugged in
            </text>
          )}
          {contacts.includes(chosen) && <title>{contacts.join(' and ')}</title>}
        </g>
      ))}
    </svg>
  )
}

function PlugBox({ plug }: { plug: Plug }) {
  const text = plug.side === 'left' ? plug.x + 8 : plug.x + plug.width - 8
  const anchor = plug.side === 'left' ? 'start' : 'end'
  return (
    <g className="plug">
      <path d={outline(plug)} />
      <text x={text} y={plug.y + 19} textAnchor={anchor} className="code">
        {plug.code}
      </text>
      <text
        x={plug.side === 'left' ? plug.x + plug.width - 8 : plug.x + 8}
        y={plug.y + 19}
        textAnchor={plug.side === 'left' ? 'end' : 'start'}
        className="title"
      >
        {plug.title.slice(0, 9)}
      </text>
    </g>
  )
}

/** A plate with one corner cut, away from the wires. */
function outline({ x, y, width, height, side }: Plug): string {
  const cut = 12
  return side === 'left'
    ? `M${x + cut} ${y}H${x + width}V${y + height}H${x}V${y + cut}z`
    : `M${x} ${y}H${x + width - cut}L${x + width} ${y + cut}V${y + height}H${x}z`
}

interface ContactsProps {
  drawing: Drawing
  netOf: Map<string, string>
  chosen: string
  onChoose: (net: string) => void
}

const Contacts = memo(function Contacts({ drawing, netOf, chosen, onChoose }: ContactsProps) {
  return (
    <g className="contacts">
      {[...drawing.contacts].map(([contact, { x, y, side, name }]) => {
        const net = netOf.get(contact)
        const inward = side === 'left' ? -10 : 10
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: the list beside it has the keys
          <g
            key={contact}
            className={net === undefined ? 'free' : net === chosen ? 'chosen' : ''}
            onMouseEnter={() => net !== undefined && onChoose(net)}
          >
            <rect
              x={side === 'left' ? x - 92 : x}
              y={y - LINE / 2}
              width={92}
              height={LINE}
              className="reach"
            />
            <circle cx={x} cy={y} r={4} />
            <text x={x + inward} y={y + 4} textAnchor={side === 'left' ? 'end' : 'start'}>
              {name}
            </text>
          </g>
        )
      })}
    </g>
  )
})

/** What the drawing shows, in words. */
export function summary(cable: Cable, rows: NetRow[], faults: NetRow['faults']): string {
  const ends = cable.connectors.map((each) => each.code).join(', ')
  const told = faults.map((each) => each.text).filter(Boolean)
  const found = told.length > 0 ? told.join(' ') : 'No fault was found.'
  const count = rows.filter((row) => row.sort === '' || row.sort === 'shield').length
  const nets = count === 1 ? '1 net' : `${count} nets`
  return `Connectors ${ends} with ${nets} between. ${found}`
}
