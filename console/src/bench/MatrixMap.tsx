import { Text } from '@chakra-ui/react'
import type { Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'

/** Which matrix rows each instrument's terminals are wired to. */
export function MatrixMap({ rows }: { rows: Schemas['BenchOut']['rows'] }) {
  const lines = Object.entries(rows).flatMap(([role, terminals]) =>
    Object.entries(terminals).map(([terminal, numbers]) => ({ role, terminal, numbers })),
  )
  return (
    <details>
      <summary>Matrix rows of each instrument terminal</summary>
      <Text color="soft" my="2">
        Columns are the fixtures' contacts, in the tables above.
      </Text>
      <DataTable
        label="Matrix rows"
        rows={lines}
        keyOf={(line) => `${line.role} ${line.terminal}`}
        isNarrow
        columns={[
          { head: 'Instrument', cell: (line) => line.role },
          { head: 'Terminal', cell: (line) => line.terminal },
          { head: 'Rows', isNumber: true, cell: (line) => line.numbers.join(', ') },
        ]}
      />
    </details>
  )
}
