import { Box, Heading, Input, Stack, Table, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
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
        <label htmlFor="search">Serial, or a part of it</label>
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
        <Box bg="plate" borderWidth="1px" borderColor="edge" overflowX="auto">
          <Table.Root size="md" aria-label="Units found" css={{ '& td, & th': { bg: 'plate' } }}>
            <Table.Header>
              <Table.Row>
                {['Serial', 'Product', 'Verdict', 'Tested (UTC)', 'Sequence', 'Document'].map(
                  (head) => (
                    <Table.ColumnHeader key={head} color="soft">
                      {head}
                    </Table.ColumnHeader>
                  ),
                )}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {found.data.map((unit) => (
                <Table.Row key={`${unit.run_id} ${unit.nest}`} color="ink">
                  <Table.Cell>
                    <Link
                      to={`/units/${unit.serial}`}
                      style={{ color: 'var(--chakra-colors-act)', textDecoration: 'underline' }}
                    >
                      {unit.serial}
                    </Link>
                  </Table.Cell>
                  <Table.Cell>{unit.product}</Table.Cell>
                  <Table.Cell>
                    <VerdictMark verdict={unit.verdict} cause={unit.cause} />
                  </Table.Cell>
                  <Table.Cell>{(unit.started_at ?? '').slice(0, 19).replace('T', ' ')}</Table.Cell>
                  <Table.Cell>
                    {unit.sequence_code} rev. {unit.sequence_revision}
                  </Table.Cell>
                  <Table.Cell>{unit.certificate ?? ''}</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Box>
      )}
    </Stack>
  )
}
