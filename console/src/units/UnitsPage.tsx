import { Heading, Input, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { VerdictMark } from '../parts/VerdictMark'

/** Search units by serial; the search stands in the address. */
export default function UnitsPage() {
  const [query, setQuery] = useSearchParams()
  const serial = query.get('serial') ?? ''
  const found = useQuery({
    queryKey: ['units', serial],
    queryFn: () => {
      const wanted = serial === '' ? '*' : /[*?]/.test(serial) ? serial : `*${serial}*`
      return ask(api.GET('/api/v1/units', { params: { query: { serial: wanted } } }))
    },
    placeholderData: (kept) => kept,
  })
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Units
      </Heading>
      <Stack gap="1" maxW="26rem">
        <label htmlFor="search">Serial or asset number, or a part of it</label>
        <Input
          id="search"
          size="lg"
          bg="plate"
          borderColor="edge"
          autoFocus
          value={serial}
          placeholder="scan or type; * and ? are wildcards"
          _placeholder={{ color: 'soft' }}
          onChange={(event) => setQuery({ serial: event.target.value }, { replace: true })}
        />
      </Stack>
      {found.isError && <Trouble text={found.error.message} />}
      {found.data?.length === 0 && (
        <Text>
          {serial === ''
            ? 'No unit was tested yet; start on the Run page.'
            : `No unit matches “${serial}”. Try a shorter part of the serial.`}
        </Text>
      )}
      {found.data !== undefined && found.data.length > 0 && (
        <DataTable
          label="Units found"
          rows={found.data}
          keyOf={(unit) => `${unit.run_id} ${unit.nest}`}
          columns={[
            {
              head: 'Serial',
              cell: (unit) => (
                <Link to={`/units/${unit.serial}`} style={LINK}>
                  {unit.serial}
                </Link>
              ),
            },
            { head: 'Asset', cell: (unit) => unit.asset },
            { head: 'Product', cell: (unit) => unit.product },
            {
              head: 'Verdict',
              cell: (unit) => <VerdictMark verdict={unit.verdict} cause={unit.cause} />,
            },
            {
              head: 'Tested (UTC)',
              cell: (unit) => (unit.started_at ?? '').slice(0, 19).replace('T', ' '),
            },
            {
              head: 'Sequence',
              cell: (unit) => `${unit.sequence_code} rev. ${unit.sequence_revision}`,
            },
            {
              head: 'Document',
              cell: (unit) => `${unit.certificate ?? ''}${unit.revoked ? ' (revoked)' : ''}`,
            },
          ]}
        />
      )}
    </Stack>
  )
}
