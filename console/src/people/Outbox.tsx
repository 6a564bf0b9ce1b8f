import { Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { ReasonForm } from '../parts/ReasonForm'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'

type Entry = Schemas['OutgoingOut']

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
  const [leaving, setLeaving] = useState<Entry>()
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
          {leaving && <LeaveOutForm entry={leaving} onDone={() => setLeaving(undefined)} />}
          <DataTable
            label="What waits to be sent"
            rows={waiting}
            keyOf={(each) => String(each.id)}
            columns={[
              { head: 'Of', cell: (each) => <b>{each.subject}</b> },
              { head: 'To', cell: (each) => each.target },
              {
                head: 'Since',
                cell: (each) => moment(each.queued_at),
              },
              { head: 'Tries', cell: (each) => each.tries, isNumber: true },
              { head: 'Why', cell: whyOf },
              {
                head: 'Stuck',
                cell: (each) =>
                  each.is_message &&
                  each.problem && (
                    <Button
                      size="sm"
                      variant="outline"
                      borderColor="edge"
                      color="ink"
                      aria-label={`Leave out ${each.subject} to ${each.target}`}
                      onClick={() => setLeaving(each)}
                    >
                      Leave out
                    </Button>
                  ),
              },
            ]}
          />
        </>
      )}
      {tryNow.isError && <Trouble text={tryNow.error.message} />}
    </Stack>
  )
}

function whyOf({ problem, behind }: Entry): string {
  if (problem) return problem
  return behind
    ? 'What came before it, of the same unit, goes first.'
    : 'Its turn has not come yet.'
}

/** A message that its receiver will never take ends here; what waits behind it goes on. */
function LeaveOutForm({ entry, onDone }: { entry: Entry; onDone: () => void }) {
  const queries = useQueryClient()
  const leave = useMutation({
    mutationFn: (reason: string) =>
      ask(
        api.POST('/api/v1/outbox/{entry}/leaving', {
          params: { path: { entry: entry.id } },
          body: { reason },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: KEY })
      onDone()
    },
  })
  return (
    <ReasonForm
      label={`Why will ${entry.target} never take what is told of ${entry.subject}?`}
      doIt="Leave it out"
      leaveIt="Keep it waiting"
      isPending={leave.isPending}
      trouble={leave.error}
      onReason={(reason) => leave.mutate(reason)}
      onLeave={onDone}
    />
  )
}
