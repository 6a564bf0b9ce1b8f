import { Button, Heading, Stack } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'

/** Where one is signed in; each can be ended. */
export function Sessions() {
  const moment = useMoment()
  const queries = useQueryClient()
  const [trouble, setTrouble] = useState('')
  const found = useQuery({
    queryKey: ['sessions'],
    queryFn: () => ask(api.GET('/api/v1/sessions')),
  })
  async function end(session: string) {
    try {
      await ask(api.DELETE('/api/v1/sessions/{session}', { params: { path: { session } } }))
      setTrouble('')
    } catch (error) {
      setTrouble((error as Error).message)
    }
    await queries.invalidateQueries({ queryKey: ['sessions'] })
  }
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return (
    <Stack gap="3" as="section" aria-label="Sessions">
      <Heading as="h2" size="lg">
        Where you are signed in
      </Heading>
      {trouble && <Trouble text={trouble} />}
      <DataTable
        label="Sessions"
        rows={found.data}
        keyOf={(each) => each.id}
        columns={[
          { head: 'From', cell: (each) => each.address },
          { head: 'By', cell: (each) => (each.is_this ? 'this browser' : programOf(each.agent)) },
          { head: 'Since', cell: (each) => moment(each.created_at) },
          { head: 'Last used', cell: (each) => moment(each.used_at) },
          {
            head: 'Do',
            cell: (each) =>
              each.is_this ? (
                ''
              ) : (
                <Button
                  size="xs"
                  variant="outline"
                  borderColor="edge"
                  color="ink"
                  aria-label={`End the session of ${moment(each.created_at)}`}
                  onClick={() => void end(each.id)}
                >
                  End
                </Button>
              ),
          },
        ]}
      />
    </Stack>
  )
}

/** A program's name out of what it calls itself, which is long for browsers. */
function programOf(agent: string): string {
  const known = /(Firefox|Edg|Chrome|Safari)\/[\d.]+/.exec(agent)
  return known ? 'a browser' : agent.split(' ')[0] || 'a program'
}
