import { Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import { DataTable } from './DataTable'
import { Trouble } from './Trouble'
import { Waiting } from './Waiting'

interface Props {
  kind: 'products' | 'limit-sets' | 'sequences'
  code: string
  old: number
  newer: number
}

/** What differs between two revisions, entry by entry. */
export function Differences({ kind, code, old, newer }: Props) {
  const found = useQuery({
    queryKey: ['differences', kind, code, old, newer],
    queryFn: () =>
      ask(
        api.GET(`/api/v1/${kind}/{code}/differences`, {
          params: { path: { code }, query: { old, new: newer } },
        }),
      ),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return (
    <Stack gap="3">
      <Heading as="h3" size="md">
        From revision {old} to {newer}
      </Heading>
      {found.data.length === 0 ? (
        <Text>No differences.</Text>
      ) : (
        <DataTable
          label={`Differences from ${old} to ${newer}`}
          rows={found.data}
          keyOf={(each) => each.path}
          columns={[
            { head: 'Where', cell: (each) => each.path },
            { head: `Revision ${old}`, cell: (each) => told(each.old) },
            { head: `Revision ${newer}`, cell: (each) => told(each.new) },
          ]}
        />
      )}
    </Stack>
  )
}

function told(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'nothing'
  return typeof value === 'string' ? value : JSON.stringify(value)
}
