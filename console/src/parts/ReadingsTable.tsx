import { Box, Table, Text } from '@chakra-ui/react'
import { Fragment, useState } from 'react'
import type { Attempt, Reading } from '../api/client'
import { grids } from './grid'
import { KeyButton } from './KeyButton'
import { MarginBar } from './MarginBar'
import { marginText } from './margin'
import { PointGrids } from './PointGrids'
import { PointsTable } from './PointsTable'
import { byPoint } from './points'
import { useKey } from './useKey'
import { VerdictMark, verdictInk } from './VerdictMark'
import { measurand, words } from './words'

const MOST_SHOWN = 150 // of a step; of a large harness more are shown when they are asked for

/** A unit's attempts with every reading beside its limit, margin and source. */
export function ReadingsTable({ attempts, label }: { attempts: Attempt[]; label: string }) {
  return (
    <Box overflowX="auto">
      <Table.Root
        size="sm"
        aria-label={label}
        css={{ '& td, & th': { bg: 'plate', verticalAlign: 'middle' } }}
      >
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader color="soft">Step and reading</Table.ColumnHeader>
            <Table.ColumnHeader color="soft" textAlign="right">
              Measured
            </Table.ColumnHeader>
            <Table.ColumnHeader color="soft" textAlign="right">
              Limit
            </Table.ColumnHeader>
            <Table.ColumnHeader color="soft" textAlign="right">
              Margin
            </Table.ColumnHeader>
            <Table.ColumnHeader color="soft">In the limit</Table.ColumnHeader>
            <Table.ColumnHeader color="soft">Source</Table.ColumnHeader>
            <Table.ColumnHeader color="soft">Verdict</Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {attempts.map((attempt) => (
            <Fragment key={`${attempt.step_id}-${attempt.number}`}>
              <Table.Row>
                <Table.Cell colSpan={6} color="ink">
                  <Text as="span" fontWeight="bold">
                    {attempt.title}
                  </Text>
                  {attempt.number > 1 && ` (attempt ${attempt.number}: ${attempt.reason})`}
                  {[attempt.note, ...toldAbove(attempt)].filter(Boolean).map((told) => (
                    <Text key={told} as="span" color="soft">
                      {' '}
                      {told}
                    </Text>
                  ))}
                </Table.Cell>
                <Table.Cell>
                  <VerdictMark verdict={attempt.verdict} cause={attempt.cause} />
                </Table.Cell>
              </Table.Row>
              {attempt.repetitions.length === 0 && <AllReadings attempt={attempt} />}
              {attempt.repetitions.map(({ number, verdict, cause }) => (
                <Fragment key={number}>
                  <Table.Row>
                    <Table.Cell colSpan={6} color="soft" pl="6">
                      Repetition {number}
                    </Table.Cell>
                    <Table.Cell>
                      <VerdictMark verdict={verdict} cause={cause} />
                    </Table.Cell>
                  </Table.Row>
                  <ReadingRows
                    attempt={attempt}
                    repetition={number}
                    readings={attempt.readings.filter((each) => each.repetition === number)}
                  />
                </Fragment>
              ))}
            </Fragment>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  )
}

/** What was found wrong outright, but for what the table of points says beside its point. */
function toldAbove({ readings, faults }: Attempt): string[] {
  const hasTable = byPoint(readings, faults) !== null && grids(readings).length === 0
  const told = faults.filter((each) => !hasTable || each.point === '').map((each) => each.text)
  return [...told, ...correctionsTold(readings)]
}

/** How readings were corrected, each way once: formula, constants and reference. */
function correctionsTold(readings: Reading[]): string[] {
  const ways = new Map<string, Set<string>>()
  for (const { quantity, corrections } of readings) {
    for (const { what, how } of corrections) {
      if (how === '') continue
      const told = `corrected for ${words(what)} by ${how}.`
      ways.set(told, (ways.get(told) ?? new Set()).add(words(quantity)))
    }
  }
  return [...ways].map(([told, names]) => {
    const list = [...names].join(', ')
    return `${list.charAt(0).toUpperCase()}${list.slice(1)}: ${told}`
  })
}

interface RowsProps {
  attempt: Attempt
  readings: Reading[]
  repetition?: number
}

function ReadingRows({ attempt, readings, repetition = 0 }: RowsProps) {
  const faults = attempt.faults.filter((each) => each.repetition === repetition)
  const table = byPoint(readings, faults)
  const own = table?.whole ?? readings
  const parted = grids(readings)
  return (
    <>
      {parted.length > 0 && (
        <Table.Row>
          <Table.Cell colSpan={7}>
            <PointGrids grids={parted} label={`Points of ${attempt.title}`} />
          </Table.Cell>
        </Table.Row>
      )}
      {table && parted.length === 0 && (
        <Table.Row>
          <Table.Cell colSpan={7}>
            <PointsTable table={table} label={`Points of ${attempt.title}`} />
          </Table.Cell>
        </Table.Row>
      )}
      {own.map((reading) => (
        <ReadingRow key={measurand(reading)} reading={reading} />
      ))}
    </>
  )
}

function ReadingRow({ reading }: { reading: Reading }) {
  return (
    <Table.Row color="ink">
      <Table.Cell pl="6">{measurand(reading)}</Table.Cell>
      <Table.Cell textAlign="right" fontWeight={reading.limit ? 'bold' : 'normal'}>
        {reading.text}
        {reading.corrections.map(({ what, text }) => (
          <Text key={what} color="soft" fontSize="xs" fontWeight="normal">
            {text} before {what}
          </Text>
        ))}
      </Table.Cell>
      <Table.Cell textAlign="right">{reading.limit}</Table.Cell>
      <Table.Cell textAlign="right">{reading.limit ? marginText(reading.margin) : ''}</Table.Cell>
      <Table.Cell>
        <MarginBar reading={reading} />
      </Table.Cell>
      <Table.Cell color="soft">{reading.source}</Table.Cell>
      <Table.Cell color="unsure">
        {reading.guarded.startsWith('conditional') && reading.guarded}
        {reading.verdict === 'pass' && reading.band === 'caution' && 'near its limit'}
        {reading.ungraded && `not judged: ${reading.ungraded}`}
      </Table.Cell>
    </Table.Row>
  )
}

/** The readings of an attempt; very many only when they are asked for. */
function AllReadings({ attempt }: { attempt: Attempt }) {
  const count = attempt.readings.length
  const hasHeadlines = attempt.headlines.length > 0
  const [isOpen, setOpen] = useState(!hasHeadlines && count <= MOST_SHOWN)
  const toggle = () => setOpen(!isOpen)
  useKey('t', hasHeadlines, toggle)
  if (!hasHeadlines && isOpen) return <ReadingRows attempt={attempt} readings={attempt.readings} />
  return (
    <>
      {attempt.headlines.map(({ kind, reading, count }) => (
        <HeadlineRow key={kind} kind={kind} count={count} reading={attempt.readings[reading]} />
      ))}
      {hasHeadlines && !isOpen && (
        <ReadingRows
          attempt={attempt}
          readings={attempt.readings.filter((each) => each.point === '')}
        />
      )}
      <Table.Row>
        <Table.Cell colSpan={7}>
          <KeyButton
            keyName={hasHeadlines ? 'T' : ''}
            size="sm"
            variant="outline"
            color="ink"
            borderColor="edge"
            aria-expanded={isOpen}
            onClick={toggle}
          >
            {isOpen ? 'Close the table' : `Show all ${count} readings of ${attempt.title}`}
          </KeyButton>
        </Table.Cell>
      </Table.Row>
      {isOpen && <ReadingRows attempt={attempt} readings={attempt.readings} />}
    </>
  )
}

/** Of one kind of limit the reading that tells most, and where it is from. */
function HeadlineRow({
  kind,
  count,
  reading,
}: {
  kind: string
  count: number
  reading: Reading | undefined
}) {
  if (reading === undefined) return null
  const isWrong = reading.verdict !== 'pass'
  return (
    <Table.Row color="ink">
      <Table.Cell pl="6">
        {kind}
        <Text color="soft" fontSize="xs">
          {reading.point}
          {count > 1 && `, of ${count}`}
        </Text>
      </Table.Cell>
      <Table.Cell
        textAlign="right"
        fontWeight="bold"
        color={isWrong ? verdictInk(reading.verdict) : undefined}
      >
        {reading.text}
      </Table.Cell>
      <Table.Cell textAlign="right">{reading.limit}</Table.Cell>
      <Table.Cell textAlign="right">{marginText(reading.margin)}</Table.Cell>
      <Table.Cell>
        <MarginBar reading={reading} />
      </Table.Cell>
      <Table.Cell color="soft">{reading.source}</Table.Cell>
      <Table.Cell>
        {isWrong && <VerdictMark verdict={reading.verdict} cause={reading.cause} />}
      </Table.Cell>
    </Table.Row>
  )
}
