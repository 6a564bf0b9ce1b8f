import { Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'

const KEY = ['outbox']

/** What still has to reach a folder or another system, with the reason, and a way to try it now. */
export function Outbox() {
  const moment = useMoment()
  const queries = useQueryClient()
  const found = useQuery({
    queryKey: KEY,
    queryFn: () => ask(api.GET('/api/v1/outbox', { params: { query: { waiting: true } } })),
    refetchInterval: 5000,
  })
  const tryNow = useMutation({
    mutationFn: () => ask(api.POST('/api/v1/outbox/tries')),
    onSuccess: () => queries.invalidateQueries({ queryKey: KEY }),
  })
  const waiting = found.data ?? []
  return (
    <Stack gap="3" as="section" aria-label="Outbox">
      <Heading as="h2" size="lg">
        Outbox
      </Heading>
      {found.isError && <Trouble text={found.error.message} />}
      {found.data && waiting.length === 0 && <Text color="soft">Everything has been sent.</Text>}
      {waiting.length > 0 && (
        <>
          <Flex gap="4" align="center">
            <Text fontWeight="bold">
              {waiting.length} {waiting.length === 1 ? 'waits' : 'wait'} to be sent.
            </Text>
            <Button
              variant="outline"
              borderColor="edge"
              color="ink"
              loading={tryNow.isPending}
              onClick={() => tryNow.mutate()}
            >
              Try now
            </Button>
          </Flex>
          <DataTable
            label="What waits to be sent"
            rows={waiting}
            keyOf={(each) => String(each.id)}
            columns={[
              { head: 'Document', cell: (each) => <b>{each.subject}</b> },
              { head: 'To', cell: (each) => each.target },
              {
                head: 'Since',
                cell: (each) => moment(each.queued_at),
              },
              { head: 'Tries', cell: (each) => each.tries, isNumber: true },
              { head: 'Why', cell: (each) => each.problem || 'Its turn has not come yet.' },
            ]}
          />
        </>
      )}
      {tryNow.isError && <Trouble text={tryNow.error.message} />}
    </Stack>
  )
}
