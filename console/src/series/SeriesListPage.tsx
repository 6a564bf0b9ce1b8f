import { Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { STATES } from './states'

const LAST = 100

/** The last series, newest first. */
export default function SeriesListPage() {
  const moment = useMoment()
  const found = useQuery({
    queryKey: ['series'],
    queryFn: () => ask(api.GET('/api/v1/series', { params: { query: { count: LAST } } })),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Series
      </Heading>
      {found.data.length === 0 ? (
        <Text>
          No series yet. On the Run page, choose a fixture whose nests feel a unit, and start by
          “each unit plugged in”.
        </Text>
      ) : (
        <DataTable
          label="Series"
          rows={found.data}
          keyOf={(each) => each.id}
          columns={[
            {
              head: 'Begun',
              isWhole: true,
              cell: (each) => (
                <Link to={`/run/series/${each.id}`} style={LINK}>
                  {moment(each.created_at)}
                </Link>
              ),
            },
            { head: 'Sequence', isWhole: true, cell: (each) => each.sequence_code },
            {
              head: 'Nests',
              isWhole: true,
              cell: (each) => `${each.fixture}, ${each.nests.join(' and ')}`,
            },
            { head: 'Lot', cell: (each) => each.lot },
            { head: 'By', cell: (each) => each.created_by },
            { head: 'State', isWhole: true, cell: (each) => STATES[each.state] },
            { head: 'Why', cell: (each) => each.note },
          ]}
        />
      )}
    </Stack>
  )
}
