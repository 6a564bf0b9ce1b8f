import { type Captured, pinsOfCapture, windingsOfCapture } from './captured'

const ROW = 30
const LEFT = 190
const COIL = 120
const TOP = 24

interface Props {
  captured: Captured
  chosen: string
  onChoose: (name: string) => void
}

/** The pins in a column and each winding as a coil between two of them, a dot at its start. */
export function WindingsDrawing({ captured, chosen, onChoose }: Props) {
  const pins = pinsOfCapture(captured)
  const windings = windingsOfCapture(captured)
  const yOf = (pin: string) => TOP + pins.indexOf(pin) * ROW
  const led = new Set(windings.flatMap((each) => [each.start, each.end]))
  const height = TOP + (pins.length + captured.skipped.length) * ROW
  const told = windings.map((each) => `${each.name} from ${each.start} to ${each.end}`).join(', ')
  return (
    <svg
      className="wiring-drawing"
      width="560"
      height={height}
      viewBox={`0 0 560 ${height}`}
      role="img"
      aria-label={`Pins and windings: ${told}`}
    >
      <title>Pins and windings</title>
      {pins.map((pin) => (
        <g key={pin} className={led.has(pin) ? 'contacts' : 'contacts free'}>
          <circle className={led.has(pin) ? 'dots' : 'dots free'} cx={LEFT} cy={yOf(pin)} r="5" />
          <g className="left">
            <text x={LEFT - 14} y={yOf(pin) + 4}>
              {pin}
            </text>
            <text x={LEFT - 60} y={yOf(pin) + 4} className="soft">
              column {captured.columns[pin]}
            </text>
          </g>
          {!led.has(pin) && (
            <g className="free">
              <text x={LEFT + 14} y={yOf(pin) + 4}>
                leads nowhere
              </text>
            </g>
          )}
        </g>
      ))}
      {captured.skipped.map((column, place) => (
        <g key={column} className="contacts free">
          <g className="left">
            <text x={LEFT - 60} y={TOP + (pins.length + place) * ROW + 4}>
              column {column}
            </text>
          </g>
          <text x={LEFT + 14} y={TOP + (pins.length + place) * ROW + 4}>
            no pin: this channel is skipped
          </text>
        </g>
      ))}
      {windings.map((each) => {
        const [from, to] = [yOf(each.start), yOf(each.end)].sort((a, b) => a - b) as [
          number,
          number,
        ]
        const isChosen = each.name === chosen
        const look = ['wire', each.isWrong && 'wrong', isChosen && 'chosen']
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: the table does the same by keyboard
          <g
            key={each.name}
            className={look.filter(Boolean).join(' ')}
            onMouseEnter={() => onChoose(each.name)}
          >
            <path d={coil(from, to)} />
            <circle
              cx={LEFT + COIL - 12}
              cy={
                each.start === each.end
                  ? from
                  : yOf(each.start) + (yOf(each.start) === from ? 6 : -6)
              }
              r="3"
            />
            <text x={LEFT + COIL + 26} y={(from + to) / 2 + 4}>
              {each.name}, {each.resistance}
            </text>
          </g>
        )
      })}
    </svg>
  )
}

/** A line out of a pin, half turns down to the other pin, and back. */
function coil(from: number, to: number): string {
  const turns = Math.max(2, Math.round((to - from) / 10))
  const step = (to - from) / turns
  const arcs = Array.from({ length: turns }, () => `a 7 ${step / 2} 0 0 1 0 ${step}`).join(' ')
  return `M ${LEFT} ${from} H ${LEFT + COIL} ${arcs} H ${LEFT}`
}
