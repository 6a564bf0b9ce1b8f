import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { useMemo, useState } from 'react'
import type { Attempt } from '../api/client'
import { Choice } from '../parts/Choice'
import { LabelledInput } from '../parts/LabelledInput'
import { words } from '../parts/words'
import { type Cable, COLUMNS, faultsOf, netRows } from './cable'
import { DRAWING } from './look'
import { NetList } from './NetList'
import { WiringDrawing } from './WiringDrawing'

const ZOOMS = [0.6, 0.8, 1, 1.3, 1.7, 2.2]

interface Props {
  cable: Cable
  attempts: Attempt[]
  title: string
}

/** A cable as a list of nets and as a drawing: what is pointed at in one shows in both. */
export function WiringView({ cable, attempts, title }: Props) {
  const positions = cable.positions.map((each) => each.code)
  const faults = useMemo(() => faultsOf(attempts), [attempts])
  const [position, setPosition] = useState(() => firstWrong(positions, faults))
  const [chosen, setChosen] = useState('')
  const [filter, setFilter] = useState('')
  const [zoom, setZoom] = useState(2)
  const rows = useMemo(() => netRows(cable, position, attempts), [cable, position, attempts])
  const shown = useMemo(() => {
    const wanted = filter.trim().toLowerCase()
    return wanted === ''
      ? rows
      : rows.filter(({ net }) =>
          [net.name, net.colour ?? '', ...net.contacts].some((each) =>
            each.toLowerCase().includes(wanted),
          ),
        )
  }, [rows, filter])
  const nets = rows.filter((row) => row.sort === '' || row.sort === 'shield')
  const wrong = nets.filter((row) => row.verdict === 'fail').length
  // What more than one voltage reads does not fit beside the drawing.
  const isWide = COLUMNS.filter((name) => rows.some((row) => row[name] !== undefined)).length > 1
  const step = (by: number) => setZoom((now) => Math.min(ZOOMS.length - 1, Math.max(0, now + by)))
  return (
    <Box as="section" aria-label={title} css={DRAWING}>
      <Flex gap="4" align="end" wrap="wrap" mb="3">
        <Heading as="h3" size="md">
          {title}
        </Heading>
        <Text color={wrong > 0 ? 'bad' : 'soft'}>
          {attempts.length === 0
            ? `Nets: ${nets.length}`
            : wrong > 0
              ? `${wrong} of ${nets.length} nets failed`
              : `none of ${nets.length} nets failed`}
        </Text>
        <Box flex="1" />
        {positions.length > 0 && (
          <Choice
            label="Position"
            value={position}
            onChange={setPosition}
            options={cable.positions.map(({ code, title }) => [
              code,
              title ? `${code}, ${title}` : code,
            ])}
          />
        )}
        <LabelledInput label="Find a net or contact" value={filter} onChange={setFilter} />
        <Flex gap="1" role="group" aria-label="Size of the drawing">
          <button type="button" className="zoom" onClick={() => step(-1)}>
            smaller
          </button>
          <button type="button" className="zoom" onClick={() => step(1)}>
            larger
          </button>
        </Flex>
      </Flex>
      {faults.length > 0 && (
        <Box as="ul" color="bad" mb="3" ps="5" listStyleType="square" aria-label="What was found">
          {faults.map((each) => (
            <li key={`${each.cause} ${each.text}`}>{each.text || words(each.cause)}</li>
          ))}
        </Box>
      )}
      <Flex gap="4" align="start" wrap="wrap">
        <Box
          flex={isWide ? '1 1 100%' : '1 1 430px'}
          minW="0"
          maxH="620px"
          overflow="auto"
          tabIndex={0}
          aria-label="Nets"
        >
          <NetList rows={shown} chosen={chosen} onChoose={setChosen} />
        </Box>
        <Box flex="0 1 auto" maxW="100%" maxH="620px" overflow="auto" bg="plate">
          <WiringDrawing
            cable={cable}
            position={position}
            rows={rows}
            faults={faults}
            chosen={chosen}
            onChoose={setChosen}
            zoom={ZOOMS[zoom] ?? 1}
          />
        </Box>
      </Flex>
    </Box>
  )
}

function firstWrong(positions: string[], faults: Attempt['faults']): string {
  const told = positions.find((code) =>
    faults.some((each) => each.point.startsWith(`${code}: `) || each.point === code),
  )
  return told ?? positions[0] ?? ''
}
