import { Box, Table, Text } from '@chakra-ui/react'
import type { Reading } from '../api/client'
import { marginText } from './margin'
import type { PointTable } from './points'
import { ReadingText } from './ReadingText'
import { words } from './words'

/** A step with several points: a row a point, a column a quantity. */
export function PointsTable({ table, label }: { table: PointTable; label: string }) {
  const wrong = table.rows.filter((row) => row.isWrong)
  const hasFaults = table.rows.some((row) => row.faults.length > 0)
  return (
    <Box ps="6">
      <Text color={wrong.length > 0 ? 'bad' : 'soft'} fontSize="sm" mb="1">
        {wrong.length === 0
          ? `All of ${table.rows.length} points passed.`
          : `${wrong.length} of ${table.rows.length} points did not pass: ${wrong.map((row) => row.point).join(', ')}.`}
      </Text>
      <Table.Root size="sm" width="auto" aria-label={label}>
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader color="soft">Point</Table.ColumnHeader>
            {table.quantities.map(({ name, limit, source }) => (
              <Table.ColumnHeader key={name} color="soft" textAlign="right">
                {words(name)} {limit}
                <Text fontSize="xs">{source}</Text>
              </Table.ColumnHeader>
            ))}
            {hasFaults && <Table.ColumnHeader color="soft">Found</Table.ColumnHeader>}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {table.rows.map((row) => (
            <Table.Row key={row.point} color="ink">
              <Table.Cell fontWeight={row.isWrong ? 'bold' : 'normal'}>{row.point}</Table.Cell>
              {table.quantities.map(({ name, limit }) => (
                <Table.Cell key={name} textAlign="right" whiteSpace="nowrap">
                  <PointCell reading={row.by[name]} hasOwnLimit={limit === ''} />
                </Table.Cell>
              ))}
              {hasFaults && (
                <Table.Cell color="bad">{row.faults.map((each) => each.text).join(' ')}</Table.Cell>
              )}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  )
}

function PointCell({
  reading,
  hasOwnLimit,
}: {
  reading: Reading | undefined
  hasOwnLimit: boolean
}) {
  if (reading === undefined) return '–'
  const isDecided = reading.limit !== '' && reading.verdict !== ''
  const told = [
    hasOwnLimit && reading.limit ? `${reading.limit}, ${reading.source}` : '',
    reading.verdict === 'pass' && reading.band === 'caution' ? 'near its limit' : '',
    reading.ungraded ? `not judged: ${reading.ungraded}` : '',
  ].filter(Boolean)
  return (
    <>
      <ReadingText reading={reading} isBold={isDecided} />
      {isDecided && (
        <Text as="span" color="soft" fontSize="xs" ms="2">
          {marginText(reading.margin)}
        </Text>
      )}
      {told.length > 0 && (
        <Text color="soft" fontSize="xs">
          {told.join(', ')}
        </Text>
      )}
      {reading.corrections.map(({ what, text }) => (
        <Text key={what} color="soft" fontSize="xs">
          {text} before {what}
        </Text>
      ))}
    </>
  )
}
