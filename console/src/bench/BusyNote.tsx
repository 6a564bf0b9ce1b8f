import { Button, Flex, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { LINK } from '../parts/link'

/** Says who holds the bench; a rehearsal can be aborted from here, whoever began it. */
export function BusyNote({ bench }: { bench: Schemas['BenchOut'] }) {
  const queries = useQueryClient()
  if (bench.busy_with === '') return null
  async function abort() {
    const params = { path: { rehearsal_id: bench.rehearsal } }
    // It may have ended by itself just now; the bench, asked again, tells.
    await ask(api.POST('/api/v1/rehearsals/{rehearsal_id}/abort', { params })).catch(
      () => undefined,
    )
    await queries.invalidateQueries({ queryKey: ['bench'] })
  }
  return (
    <Flex role="status" gap="4" align="center" wrap="wrap" bg="unsure.wash" p="3">
      <Text flex="1">
        The bench is busy with {bench.busy_with}; what is shown of it was last seen before.
      </Text>
      {bench.series !== '' && (
        <Link to={`/run/series/${bench.series}`} style={LINK}>
          To the series
        </Link>
      )}
      {bench.rehearsal !== '' && (
        <Button size="sm" bg="bad" color="plate" onClick={() => void abort()}>
          Abort the rehearsal
        </Button>
      )}
    </Flex>
  )
}
