import { type MouseEvent, memo, useMemo } from 'react'
import type { Cable, NetRow } from './cable'
import { type Drawing, drawingOf, LINE, type Place, type Plug, type Wire } from './layout'

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
  /** One listener for all: of a large harness there are thousands of lines. */
  function point(event: MouseEvent<SVGSVGElement>) {
    const under = event.target instanceof Element ? event.target.closest('[data-net]') : null
    const net = under?.getAttribute('data-net') ?? ''
    if (net !== '' && net !== chosen) onChoose(net)
  }
  return (
    // biome-ignore lint/a11y/useKeyWithMouseEvents: the list beside it has the keys
    <svg
      onMouseOver={point}
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
      <Contacts drawing={drawing} netOf={netOf} chosen={chosen} />
      {drawing.wires.map((wire) => (
        <WireLine
          key={`${wire.net.name} ${wire.path}`}
          wire={wire}
          isWrong={wrong.has(wire.net.name)}
          isChosen={wire.net.name === chosen}
        />
      ))}
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

interface WireProps {
  wire: Wire
  isWrong: boolean
  isChosen: boolean
}

const WireLine = memo(function WireLine({ wire, isWrong, isChosen }: WireProps) {
  const { net, isShield, path, middle, isOpen } = wire
  let looks = 'wire'
  if (isShield) looks += ' shield'
  if (isWrong) looks += ' wrong'
  if (isOpen) looks += ' open'
  if (isChosen) looks += ' chosen'
  return (
    <g data-net={net.name} className={looks}>
      <path d={path} className="reach" />
      <path d={path} />
      {isOpen && (
        <>
          <circle cx={middle.x} cy={middle.y} r={13} className="gap" />
          <path d={`M${middle.x - 13} ${middle.y - 8}v16M${middle.x + 13} ${middle.y - 8}v16`} />
        </>
      )}
      {isChosen && (
        <text x={middle.x} y={middle.y - 6} textAnchor="middle">
          {net.name}
        </text>
      )}
    </g>
  )
})

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
}

const Contacts = memo(function Contacts({ drawing, netOf, chosen }: ContactsProps) {
  const dots = useMemo(() => dotsOf(drawing, netOf), [drawing, netOf])
  return (
    <g className="contacts">
      <path d={dots.wired} className="dots" />
      <path d={dots.free} className="dots free" />
      {[...drawing.contacts].map(([contact, place]) => {
        const net = netOf.get(contact) ?? ''
        return (
          <ContactName
            key={contact}
            place={place}
            net={net}
            isChosen={net !== '' && net === chosen}
          />
        )
      })}
    </g>
  )
})

/** The dots of all contacts as two lines: of a large harness there are a thousand. */
function dotsOf(drawing: Drawing, netOf: Map<string, string>): { wired: string; free: string } {
  const found = { wired: '', free: '' }
  for (const [contact, { x, y }] of drawing.contacts) {
    found[netOf.has(contact) ? 'wired' : 'free'] += `M${x - 4} ${y}a4 4 0 1 0 8 0a4 4 0 1 0-8 0`
  }
  return found
}

interface NameProps {
  place: Place & { side: 'left' | 'right'; name: string }
  net: string
  isChosen: boolean
}

/** A contact's name, and where a pointer reaches it; its size is in the sheet. */
const ContactName = memo(function ContactName({ place, net, isChosen }: NameProps) {
  const { x, y, side, name } = place
  const isLeft = side === 'left'
  const look = net === '' ? `${side} free` : isChosen ? `${side} chosen` : side
  return (
    <g data-net={net} className={look}>
      <rect x={isLeft ? x - 92 : x} y={y - LINE / 2} />
      <text x={isLeft ? x - 10 : x + 10} y={y + 4}>
        {name}
      </text>
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
