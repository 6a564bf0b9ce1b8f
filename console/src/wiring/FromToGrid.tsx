import { Box, Button, Flex, Text } from '@chakra-ui/react'
import {
  type ClipboardEvent,
  type KeyboardEvent,
  memo,
  useEffect,
  useMemo,
  useRef,
  useState,
} from 'react'
import type { Value } from '../forms/schema'
import { words } from '../parts/words'
import {
  COLUMNS,
  cellFindings,
  cellsOf,
  isEmpty,
  type Line,
  linesOf,
  pasted,
  withLines,
} from './fromTo'
import { GRID } from './look'

const SORTS = ['wire', 'shield', 'resistor', 'capacitor', 'diode']

interface Props {
  section: Value
  onChange: (section: Value) => void
  onUndo: () => void
  findings: { field: string; message: string }[]
  isLocked: boolean
}

interface Spot {
  row: number
  column: number
}

/** The from-to list of a cable, typed like a spreadsheet: what is chosen is typed over. */
export function FromToGrid({ section, onChange, onUndo, findings, isLocked }: Props) {
  const [lines, setLines] = useState(() => linesOf(section))
  const [spot, setSpot] = useState<Spot>({ row: 0, column: 1 })
  const [text, setText] = useState<string | null>(null)
  const box = useRef<HTMLDivElement>(null)
  const hasMoved = useRef(false)
  const wrong = useMemo(
    () => cellFindings(findings, withLines(section, lines).at),
    [findings, section, lines],
  )
  const shown = isLocked ? lines : [...lines, {}]

  function keep(next: Line[]) {
    while (next.length > 0 && isEmpty(next.at(-1) ?? {})) next = next.slice(0, -1)
    setLines(next)
    onChange(withLines(section, next).section)
  }

  /** Put what was typed into its cell. */
  function commit(): void {
    const name = COLUMNS[spot.column]
    if (text === null || name === undefined) return
    setText(null)
    if (text.trim() === (lines[spot.row]?.[name] ?? '')) return
    keep(pasted(lines, spot.row, spot.column, [[text.trim()]]))
  }

  function go(row: number, column: number) {
    commit()
    hasMoved.current = true
    setSpot({
      row: Math.min(shown.length - 1 + (text ? 1 : 0), Math.max(0, row)),
      column: Math.min(COLUMNS.length - 1, Math.max(0, column)),
    })
  }

  function press(event: KeyboardEvent<HTMLInputElement>) {
    const { row, column } = spot
    const isTyping = text !== null
    const has = event.ctrlKey || event.metaKey
    if (has && event.key === 'z' && !isTyping) {
      event.preventDefault()
      onUndo()
    } else if (has && event.key === 'Enter') {
      event.preventDefault()
      keep([...lines.slice(0, row + 1), {}, ...lines.slice(row + 1)])
      setSpot({ row: row + 1, column })
    } else if (has && event.key === 'Delete') {
      event.preventDefault()
      keep(lines.filter((_, index) => index !== row))
    } else if (event.key === 'Enter' || event.key === 'ArrowDown') {
      event.preventDefault()
      go(row + 1, column)
    } else if (event.key === 'ArrowUp') {
      event.preventDefault()
      go(row - 1, column)
    } else if (event.key === 'ArrowRight' && !isTyping) {
      event.preventDefault()
      go(row, column + 1)
    } else if (event.key === 'ArrowLeft' && !isTyping) {
      event.preventDefault()
      go(row, column - 1)
    } else if (event.key === 'Tab' && !isEdge(spot, event.shiftKey, shown.length)) {
      event.preventDefault()
      const by = event.shiftKey ? -1 : 1
      const next = row * COLUMNS.length + column + by
      go(Math.floor(next / COLUMNS.length), next % COLUMNS.length)
    } else if (event.key === 'Escape') {
      setText(null)
    } else if (event.key === 'Delete' && !isTyping) {
      event.preventDefault()
      keep(pasted(lines, row, column, [['']]))
    }
  }

  function paste(event: ClipboardEvent<HTMLInputElement>) {
    const given = event.clipboardData.getData('text')
    if (!/[\t\n\r]/.test(given)) return
    event.preventDefault()
    setText(null)
    keep(pasted(lines, spot.row, spot.column, cellsOf(given)))
  }

  const active = `${spot.row} ${spot.column}`
  // biome-ignore lint/correctness/useExhaustiveDependencies: the chosen cell takes the focus along
  useEffect(() => {
    if (hasMoved.current) box.current?.querySelector('input')?.focus()
  }, [active])

  const faults = [...wrong].sort((a, b) => Number.parseInt(a[0], 10) - Number.parseInt(b[0], 10))
  return (
    <Box css={GRID} ref={box}>
      {faults.length > 0 && (
        <Box role="alert" color="bad" mb="2">
          {faults.slice(0, 8).map(([place, message]) => {
            const [row = '0', column = ''] = place.split(' ')
            return (
              <Text key={place}>
                Line {Number(row) + 1}, {words(column)}: {message}
              </Text>
            )
          })}
          {faults.length > 8 && <Text>and {faults.length - 8} more.</Text>}
        </Box>
      )}
      <Box maxH="520px" overflow="auto" borderWidth="1px" borderColor="edge">
        <table className="grid" aria-label="From-to list">
          <thead>
            <tr>
              <th aria-label="Line" />
              {COLUMNS.map((name) => (
                <th key={name}>{words(name)}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((line, row) => (
              <GridLine
                // biome-ignore lint/suspicious/noArrayIndexKey: a line is known by its place
                key={row}
                row={row}
                line={line}
                wrong={wrong}
                active={row === spot.row && !isLocked ? spot.column : -1}
                text={row === spot.row ? text : null}
                onGo={go}
                onType={setText}
                onPress={press}
                onPaste={paste}
                onLeave={commit}
              />
            ))}
          </tbody>
        </table>
      </Box>
      {!isLocked && (
        <Flex gap="4" mt="2" align="center" wrap="wrap">
          <Text color="soft" fontSize="sm">
            Arrows, Tab and Enter go from cell to cell; a block from a spreadsheet can be pasted;
            Ctrl Enter puts a line in, Ctrl Delete takes one out, Ctrl Z undoes.
          </Text>
          <Button
            size="xs"
            variant="outline"
            borderColor="edge"
            color="ink"
            onClick={() => keep(lines.filter((_, index) => index !== spot.row))}
          >
            Take line {spot.row + 1} out
          </Button>
        </Flex>
      )}
    </Box>
  )
}

/** Whether Tab leaves the table from here. */
function isEdge({ row, column }: Spot, isBack: boolean, count: number): boolean {
  return isBack ? row === 0 && column === 0 : row === count - 1 && column === COLUMNS.length - 1
}

interface LineProps {
  row: number
  line: Line
  wrong: Map<string, string>
  active: number
  text: string | null
  onGo: (row: number, column: number) => void
  onType: (text: string) => void
  onPress: (event: KeyboardEvent<HTMLInputElement>) => void
  onPaste: (event: ClipboardEvent<HTMLInputElement>) => void
  onLeave: () => void
}

const GridLine = memo(
  function GridLine(props: LineProps) {
    const { row, line, wrong, active, text, onGo, onType, onPress, onPaste, onLeave } = props
    return (
      <tr>
        <th scope="row">{row + 1}</th>
        {COLUMNS.map((name, column) => {
          const message = wrong.get(`${row} ${name}`)
          const value = line[name] ?? ''
          const label = `Line ${row + 1}, ${words(name)}`
          if (column !== active) {
            return (
              // biome-ignore lint/a11y/useKeyWithClickEvents: the chosen cell has the keys
              <td
                key={name}
                className={message === undefined ? undefined : 'wrong'}
                title={message}
                onClick={() => onGo(row, column)}
              >
                {value}
              </td>
            )
          }
          return (
            <td key={name} className={message === undefined ? 'active' : 'active wrong'}>
              <input
                aria-label={label}
                aria-invalid={message !== undefined}
                list={name === 'sort' ? 'sorts-of-line' : undefined}
                autoComplete="off"
                spellCheck={false}
                value={text ?? value}
                onFocus={(event) => event.target.select()}
                onChange={(event) => onType(event.target.value)}
                onKeyDown={onPress}
                onPaste={onPaste}
                onBlur={onLeave}
              />
              {name === 'sort' && (
                <datalist id="sorts-of-line">
                  {SORTS.map((each) => (
                    <option key={each} value={each} />
                  ))}
                </datalist>
              )}
            </td>
          )
        })}
      </tr>
    )
  },
  (before, after) =>
    before.active === -1 &&
    after.active === -1 &&
    before.line === after.line &&
    before.wrong === after.wrong,
)
