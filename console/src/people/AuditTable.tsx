import { Button, Flex, Heading, Input, Link, Stack, Text } from '@chakra-ui/react'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'

const FILTERS = [
  { name: 'account', label: 'By' },
  { name: 'action', label: 'What' },
  { name: 'subject', label: 'To' },
  { name: 'since', label: 'Since (UTC)' },
  { name: 'until', label: 'Until (UTC)' },
] as const
const PAGE = 50

/** The audit trail, newest first; its filters stand in the address. */
export function AuditTable() {
  const moment = useMoment()
  const [search, setSearch] = useSearchParams()
  const wanted = Object.fromEntries(FILTERS.map(({ name }) => [name, search.get(name) ?? '']))
  const found = useInfiniteQuery({
    queryKey: ['audit', wanted],
    queryFn: ({ pageParam }) => {
      const page = pageParam === 0 ? {} : { before: pageParam }
      return ask(
        api.GET('/api/v1/audit', { params: { query: { ...wanted, ...page, count: PAGE } } }),
      )
    },
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length < PAGE ? undefined : last.at(-1)?.number),
    placeholderData: (before) => before,
  })
  const entries = found.data?.pages.flat() ?? []
  return (
    <Stack gap="3" as="section" aria-label="Audit trail">
      <Flex gap="4" align="baseline">
        <Heading as="h2" size="lg">
          What was done
        </Heading>
        <Link href="/api/v1/audit/export" download color="act" textDecoration="underline">
          Export all of it
        </Link>
      </Flex>
      <Flex gap="3" wrap="wrap">
        {FILTERS.map(({ name, label }) => (
          <Stack key={name} gap="1">
            <label htmlFor={`audit-${name}`}>{label}</label>
            <Input
              id={`audit-${name}`}
              w="11rem"
              bg="plate"
              borderColor="edge"
              autoComplete="off"
              placeholder={name === 'since' || name === 'until' ? '2026-11-25' : ''}
              _placeholder={{ color: 'soft' }}
              value={wanted[name]}
              onChange={(event) => {
                const next = new URLSearchParams(search)
                if (event.target.value) next.set(name, event.target.value)
                else next.delete(name)
                setSearch(next, { replace: true })
              }}
            />
          </Stack>
        ))}
      </Flex>
      {found.isError && <Trouble text={found.error.message} />}
      {found.isPending && <Waiting />}
      {found.data !== undefined && entries.length === 0 && <Text>Nothing matches.</Text>}
      {entries.length > 0 && (
        <DataTable
          label="Audit trail"
          rows={entries}
          keyOf={(each) => String(each.number)}
          columns={[
            { head: 'At', cell: (each) => moment(each.at) },
            { head: 'By', cell: (each) => each.account },
            { head: 'What', cell: (each) => each.action },
            { head: 'To', cell: (each) => each.subject },
            { head: 'Detail', cell: (each) => each.detail },
          ]}
        />
      )}
      {found.hasNextPage && (
        <Button
          alignSelf="start"
          variant="outline"
          borderColor="edge"
          color="ink"
          onClick={() => void found.fetchNextPage()}
        >
          Older entries
        </Button>
      )}
    </Stack>
  )
}
