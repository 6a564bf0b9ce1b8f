import { Button, Flex, Heading, Input, Stack } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { Differences } from '../parts/Differences'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { useMay } from '../session/SessionProvider'

/** Every revision: who released it and why; what differs; the released one may be withdrawn. */
export function RevisionsPanel({ code, newest }: { code: string; newest: number }) {
  const moment = useMoment()
  const may = useMay()
  const [search, setSearch] = useSearchParams()
  const compared = Number(search.get('compare') ?? 0)
  const found = useQuery({
    queryKey: ['sequences', code, 'revisions'],
    queryFn: () =>
      ask(api.GET('/api/v1/sequences/{code}/revisions', { params: { path: { code } } })),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  const released = found.data?.find((each) => each.status === 'released')
  return (
    <Stack gap="3" as="section" aria-label="Revisions">
      <Heading as="h2" size="lg">
        Revisions
      </Heading>
      <DataTable
        label="Revisions"
        rows={found.data ?? []}
        keyOf={(each) => String(each.revision)}
        columns={[
          { head: 'Revision', isNumber: true, cell: (each) => each.revision },
          { head: 'Status', cell: (each) => each.status },
          { head: 'Stored', cell: (each) => moment(each.created_at) },
          { head: 'By', cell: (each) => each.created_by },
          { head: 'Released by', cell: (each) => each.release?.released_by ?? '' },
          {
            head: 'Why',
            cell: (each) =>
              each.withdrawn_why
                ? `withdrawn by ${each.withdrawn_by}: ${each.withdrawn_why}`
                : [
                    each.release?.why ?? '',
                    ...(each.release?.accepted ?? []).map(
                      (left) => `${left.rule}${left.step && ` of ${left.step}`}: ${left.reason}`,
                    ),
                  ].join('; '),
          },
          {
            head: 'Compare',
            cell: (each) =>
              each.revision === newest ? (
                'newest'
              ) : (
                <Button
                  size="xs"
                  variant="outline"
                  borderColor="edge"
                  color="ink"
                  onClick={() =>
                    setSearch((before) => {
                      const next = new URLSearchParams(before)
                      next.set('compare', String(each.revision))
                      return next
                    })
                  }
                >
                  with the newest
                </Button>
              ),
          },
        ]}
      />
      {compared > 0 && compared !== newest && (
        <Differences kind="sequences" code={code} old={compared} newer={newest} />
      )}
      {may.define && released !== undefined && (
        <Withdraw code={code} revision={released.revision} />
      )}
    </Stack>
  )
}

function Withdraw({ code, revision }: { code: string; revision: number }) {
  const queries = useQueryClient()
  const [why, setWhy] = useState('')
  const [trouble, setTrouble] = useState('')
  async function withdraw() {
    try {
      const params = { path: { code } }
      await ask(api.POST('/api/v1/sequences/{code}/withdraw', { params, body: { why, revision } }))
      await queries.invalidateQueries({ queryKey: ['sequences'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  return (
    <Flex gap="3" align="center" wrap="wrap">
      <label htmlFor="withdraw-why">Withdraw revision {revision}, because</label>
      <Input
        id="withdraw-why"
        w="24rem"
        bg="plate"
        borderColor="edge"
        autoComplete="off"
        value={why}
        onChange={(event) => setWhy(event.target.value)}
      />
      <Button
        variant="outline"
        borderColor="bad"
        color="bad"
        disabled={why.trim().length < 3}
        onClick={() => void withdraw()}
      >
        Withdraw
      </Button>
      {trouble && <Trouble text={trouble} />}
    </Flex>
  )
}
