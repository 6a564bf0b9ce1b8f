import { Box, Table } from '@chakra-ui/react'
import type { ReactNode } from 'react'

export interface Column<Row> {
  head: string
  cell: (row: Row) => ReactNode
  isNumber?: boolean
  /** Read as one: never broken over lines. */
  isWhole?: boolean
}

interface Props<Row> {
  label: string
  rows: readonly Row[]
  keyOf: (row: Row) => string
  columns: Column<Row>[]
  isNarrow?: boolean
}

/** A plain table on a plate: a row a thing, numbers to the right. */
export function DataTable<Row>({ label, rows, keyOf, columns, isNarrow = false }: Props<Row>) {
  return (
    <Box bg="plate" borderWidth="1px" borderColor="edge" overflowX="auto">
      <Table.Root
        size={isNarrow ? 'sm' : 'md'}
        width={isNarrow ? 'auto' : '100%'}
        aria-label={label}
        css={{ '& td, & th': { bg: 'plate' } }}
      >
        <Table.Header>
          <Table.Row>
            {columns.map(({ head, isNumber }) => (
              <Table.ColumnHeader
                key={head}
                color="soft"
                textAlign={isNumber ? 'right' : 'left'}
                whiteSpace="nowrap"
              >
                {head}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {rows.map((row) => (
            <Table.Row key={keyOf(row)} color="ink">
              {columns.map(({ head, cell, isNumber, isWhole }) => (
                <Table.Cell
                  key={head}
                  textAlign={isNumber ? 'right' : 'left'}
                  whiteSpace={isWhole ? 'nowrap' : undefined}
                >
                  {cell(row)}
                </Table.Cell>
              ))}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  )
}
