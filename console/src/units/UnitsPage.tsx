import { Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { type Column, DataTable } from '../parts/DataTable'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { KeptSearches } from './KeptSearches'
import { SearchFields } from './SearchFields'
import { type Asked, addressOf, askedOf } from './search'
import { useSettled } from './useSettled'
import { countOf, VerdictCounts } from './VerdictCounts'

const ReportPanel = lazy(() => import('../reports/ReportPanel'))

const PAGE = 50
type Found = Schemas['UnitFound']

/** Find units by all that is known of them; the search stands in the address. */
export default function UnitsPage() {
  const [query, setQuery] = useSearchParams()
  const asked = useSettled(askedOf(query))
  const { verdict: _, ...whateverVerdict } = asked
  const found = useInfiniteQuery({
    queryKey: ['units', asked],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET('/api/v1/units', {
          params: { query: { ...asked, before: pageParam, count: PAGE } },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last: Found[]) =>
      last.length === PAGE ? last[last.length - 1]?.cursor : undefined,
    placeholderData: (kept) => kept,
  })
  const counts = useQuery({
    queryKey: ['unit-counts', whateverVerdict],
    queryFn: () => ask(api.GET('/api/v1/unit-counts', { params: { query: whateverVerdict } })),
    placeholderData: (kept) => kept,
  })
  const names = useQuery({
    queryKey: ['unit-names'],
    queryFn: () => ask(api.GET('/api/v1/unit-names')),
  })

  function look(name: string, values: string[]) {
    setQuery(
      (kept) => {
        kept.delete(name)
        for (const value of values) kept.append(name, value)
        return kept
      },
      { replace: true },
    )
  }

  const [hasReport, setHasReport] = useState(false)
  const rows = found.data?.pages.flat() ?? []
  // What was picked is of what was found: another search begins anew.
  const searched = JSON.stringify(asked)
  const [picks, setPicks] = useState({ searched, ids: [] as string[] })
  const picked = picks.searched === searched ? picks.ids : []
  function pick(id: string, isIn: boolean) {
    const others = picked.filter((each) => each !== id)
    setPicks({ searched, ids: isIn ? [...others, id] : others })
  }
  return (
    <Stack gap="4">
      <Heading as="h1" size="2xl">
        Units
      </Heading>
      <Flex gap="3" wrap="wrap" align="end">
        <LabelledInput
          label="Serial or asset number, or a part of it"
          hint="scan or type; * and ? are wildcards"
          width="20rem"
          isFirst
          value={query.get('serial') ?? ''}
          onChange={(value) => look('serial', value ? [value] : [])}
        />
        <SearchFields query={query} names={names.data} onChange={look} />
      </Flex>
      <Flex gap="4" wrap="wrap" align="end" justify="space-between">
        <VerdictCounts
          counts={counts.data}
          chosen={query.getAll('verdict')}
          onChoose={(verdicts) => look('verdict', verdicts)}
        />
        <Flex gap="4" align="center" wrap="wrap">
          <KeptSearches asked={asked} />
          <Button
            size="sm"
            variant="outline"
            borderColor="edge"
            color="ink"
            aria-expanded={hasReport}
            onClick={() => setHasReport(!hasReport)}
          >
            Report
          </Button>
        </Flex>
      </Flex>
      {hasReport && (
        <Suspense fallback={<Waiting />}>
          <ReportPanel
            asked={asked}
            count={countOf(counts.data, query.getAll('verdict'))}
            picked={picked}
            onSearch={(search) => setQuery(addressOf(search))}
          />
        </Suspense>
      )}
      {found.isError && <Trouble text={found.error.message} />}
      {found.data && rows.length === 0 && <Text>{emptyWords(asked)}</Text>}
      {rows.length > 0 && !found.isError && (
        <UnitTable rows={rows} picked={picked} onPick={hasReport ? pick : undefined} />
      )}
      {found.hasNextPage && !found.isError && (
        <Button
          alignSelf="start"
          variant="outline"
          borderColor="edge"
          color="ink"
          loading={found.isFetchingNextPage}
          onClick={() => void found.fetchNextPage()}
        >
          Earlier ones
        </Button>
      )}
    </Stack>
  )
}

function emptyWords(asked: Asked): string {
  if (Object.keys(asked).length === 0) return 'No unit was tested yet; start on the Run page.'
  if (Object.keys(asked).join() !== 'serial') return 'No unit is all of that. Leave something out.'
  return `No unit matches “${asked.serial}”. Try a shorter part of the serial.`
}

interface TableProps {
  rows: Found[]
  /** Ids of those that a report is of; of all where there is none. */
  picked: string[]
  onPick: ((id: string, isIn: boolean) => void) | undefined
}

function UnitTable({ rows, picked, onPick }: TableProps) {
  const moment = useMoment()
  const picking: Column<Found>[] = onPick
    ? [
        {
          head: 'Pick',
          cell: ({ id, serial, begun_at }) => (
            <input
              type="checkbox"
              aria-label={`Pick ${serial} of ${moment(begun_at)}`}
              style={{ width: '1.5rem', height: '1.5rem', accentColor: 'var(--chakra-colors-act)' }}
              checked={picked.includes(id)}
              onChange={(event) => onPick(id, event.target.checked)}
            />
          ),
        },
      ]
    : []
  return (
    <DataTable
      label="Units found"
      rows={rows}
      keyOf={(unit) => unit.id}
      columns={[
        ...picking,
        {
          head: 'Serial',
          isWhole: true,
          cell: (unit) => (
            <>
              <Link to={`/units/${unit.serial}`} style={LINK}>
                {unit.serial}
              </Link>
              {unit.asset && (
                <Text fontSize="sm" color="soft">
                  {[unit.asset, unit.place].filter(Boolean).join(', ')}
                </Text>
              )}
            </>
          ),
        },
        { head: 'Product', isWhole: true, cell: (unit) => unit.product },
        {
          head: 'Verdict',
          cell: (unit) => <VerdictMark verdict={unit.verdict} cause={unit.cause} />,
        },
        { head: 'Failed', cell: (unit) => unit.failed.map(words).join(', ') },
        { head: 'Lot', isWhole: true, cell: (unit) => unit.lot },
        {
          head: 'Nest',
          isWhole: true,
          cell: (unit) => (
            <>
              {unit.fixture} / {unit.nest}
              {unit.from_bench && (
                <Text fontSize="sm" color="soft">
                  {unit.from_bench}
                </Text>
              )}
            </>
          ),
        },
        { head: 'By', cell: (unit) => unit.operator },
        {
          head: 'Tested',
          isWhole: true,
          cell: (unit) => moment(unit.begun_at),
        },
        {
          head: 'Document',
          isWhole: true,
          cell: (unit) =>
            unit.revoked ? (
              <Text as="span" color="bad" fontWeight="bold">
                {unit.certificate} revoked
              </Text>
            ) : (
              unit.certificate
            ),
        },
      ]}
    />
  )
}
