import { Box, Table, Text } from '@chakra-ui/react'
import type { Reading } from '../api/client'
import type { PointGrid } from './grid'
import { ReadingText } from './ReadingText'
import { words } from './words'

/** Points as places by circumstances, a table for each quantity. */
export function PointGrids({ grids, label }: { grids: PointGrid[]; label: string }) {
  return (
    <Box ps="6">
      {grids.map(({ quantity, columns, rows }) => (
        <Table.Root
          key={quantity}
          size="sm"
          width="auto"
          mb="4"
          aria-label={`${label}, ${words(quantity)}`}
        >
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader color="soft">{words(quantity)}</Table.ColumnHeader>
              {columns.map((column) => (
                <Table.ColumnHeader
                  key={column}
                  color="soft"
                  textAlign="right"
                  whiteSpace="normal"
                  fontSize="xs"
                  px="1.5"
                >
                  {column}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {rows.map(({ place, cells }) => (
              <Table.Row key={place} color="ink">
                <Table.Cell whiteSpace="nowrap">{place}</Table.Cell>
                {cells.map((reading, at) => (
                  <Table.Cell
                    key={columns[at]}
                    textAlign="right"
                    whiteSpace="nowrap"
                    fontSize="xs"
                    px="1.5"
                  >
                    <GridCell reading={reading} />
                  </Table.Cell>
                ))}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      ))}
    </Box>
  )
}

function GridCell({ reading }: { reading: Reading | undefined }) {
  if (reading === undefined) return '–'
  return (
    <>
      <ReadingText reading={reading} />
      <Text color="soft" fontSize="2xs">
        {reading.limit}
      </Text>
    </>
  )
}
