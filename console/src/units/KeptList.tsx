import { Text } from '@chakra-ui/react'
import type { Unit } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { timeText } from '../parts/quantity'
import { measurand } from '../parts/words'

/** What long steps have read of a unit that did not come to their end, or have not yet. */
export function KeptList({ unit }: { unit: Unit }) {
  const kept = unit.kept ?? []
  if (kept.length === 0) return null
  return (
    <>
      <Text mt="3" fontWeight="bold">
        Read on the way, by steps that did not come to their end
      </Text>
      <DataTable
        label="Read on the way"
        rows={kept}
        keyOf={(each) => `${each.step_id} ${each.kept_at} ${each.point} ${each.quantity}`}
        isNarrow
        columns={[
          { head: 'Step', cell: ({ step_id }) => step_id },
          { head: 'After', isNumber: true, cell: ({ at_s }) => timeText(at_s) },
          { head: 'Reading', cell: (each) => measurand(each) },
          { head: 'Value', isNumber: true, cell: ({ text }) => text },
        ]}
      />
    </>
  )
}
