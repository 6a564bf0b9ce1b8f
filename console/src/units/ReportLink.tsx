import { Checkbox, Flex } from '@chakra-ui/react'
import { useState } from 'react'
import type { Schemas, Unit } from '../api/client'
import { Choice } from '../parts/Choice'
import { LINK } from '../parts/link'

type Depth = Schemas['Depth']

const DEPTHS: [Depth, string][] = [
  ['summary', 'summary'],
  ['readings', 'readings'],
  ['limits', 'readings, limits, clauses'],
  ['procedure', 'and the procedure'],
  ['photos', 'and photos'],
]

/** The report of a unit in one run, as deep as it is wanted. */
export function ReportLink({ unit }: { unit: Unit }) {
  const [depth, setDepth] = useState<Depth>('limits')
  const [failedOnly, setFailedOnly] = useState(false)
  if (['created', 'armed', 'running'].includes(unit.run_state)) return null
  const query = new URLSearchParams({
    depth,
    failed_only: String(failedOnly),
    run: unit.run_id,
  })
  return (
    <Flex gap="3" align="center">
      <Choice
        label="What the report tells"
        isLabelHidden
        size="sm"
        width="17rem"
        value={depth}
        options={DEPTHS}
        onChange={(value) => setDepth(value as Depth)}
      />
      <Checkbox.Root
        size="sm"
        checked={failedOnly}
        onCheckedChange={({ checked }) => setFailedOnly(checked === true)}
      >
        <Checkbox.HiddenInput />
        <Checkbox.Control />
        <Checkbox.Label>not passed only</Checkbox.Label>
      </Checkbox.Root>
      <a
        href={`/api/v1/units/${encodeURIComponent(unit.serial)}/report?${query}`}
        target="_blank"
        rel="noreferrer"
        style={LINK}
      >
        Report (PDF)
      </a>
    </Flex>
  )
}
