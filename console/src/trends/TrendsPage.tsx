import { Box, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
import { ItemsView } from '../items/ItemsView'
import { LabelledInput } from '../parts/LabelledInput'
import { momentText } from '../parts/moment'
import { Trouble } from '../parts/Trouble'
import { useZone } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { SearchFields } from '../units/SearchFields'
import { askedOf } from '../units/search'
import { useSettled } from '../units/useSettled'
import { BoxesView } from './BoxesView'
import { MeasurandChoice } from './MeasurandChoice'
import { TrendView } from './TrendView'
import { chosenOf, trendAskedOf } from './trend'
import { ViewTabs } from './ViewTabs'
import { YieldsView } from './YieldsView'

const VIEWS: [string, string][] = [
  ['', 'Readings'],
  ['yields', 'Yields'],
  ['boxes', 'Reference boxes'],
  ['items', 'Items'],
]

/** What readings of many units say together; all that is chosen stands in the address. */
export default function TrendsPage() {
  const [query, setQuery] = useSearchParams()
  const view = query.get('view') ?? ''
  const names = useQuery({
    queryKey: ['unit-names'],
    queryFn: () => ask(api.GET('/api/v1/unit-names')),
  })

  /** What changes together goes into the address at once: the second of two would undo the first. */
  function choose(changed: Record<string, string | string[]>) {
    setQuery(
      (kept) => {
        for (const [name, values] of Object.entries(changed)) {
          kept.delete(name)
          for (const value of [values].flat()) if (value) kept.append(name, value)
        }
        return kept
      },
      { replace: true },
    )
  }

  const zone = useZone()
  return (
    <Stack gap="4">
      <Flex gap="6" align="end" wrap="wrap">
        <Heading as="h1" size="2xl">
          Trends
        </Heading>
        <ViewTabs
          label="What is looked at"
          value={view}
          options={VIEWS}
          onChange={(next) => choose({ view: next })}
        />
      </Flex>
      {(view === '' || view === 'yields') && (
        <Flex gap="3" wrap="wrap" align="end">
          <LabelledInput
            label="Serial or asset number"
            hint="* and ? are wildcards"
            width="14rem"
            value={query.get('serial') ?? ''}
            onChange={(value) => choose({ serial: value })}
          />
          <SearchFields
            query={query}
            names={names.data}
            onChange={(name, values) => choose({ [name]: values })}
          />
        </Flex>
      )}
      {view === 'yields' ? (
        <YieldsView query={query} onChange={choose} />
      ) : view === 'boxes' ? (
        <BoxesView query={query} zone={zone} onChange={choose} />
      ) : view === 'items' ? (
        <ItemsView
          state={stateOf(query.get('state'))}
          moment={(at) => momentText(at, zone)}
          onState={(state) => choose({ state: state === 'open' ? '' : state || 'all' })}
        />
      ) : (
        <Readings query={query} zone={zone} onChange={choose} />
      )}
    </Stack>
  )
}

function stateOf(told: string | null): '' | 'open' | 'ended' {
  if (told === 'all') return ''
  return told === 'ended' ? 'ended' : 'open'
}

interface Props {
  query: URLSearchParams
  zone: string
  onChange: (changed: Record<string, string>) => void
}

function Readings({ query, zone, onChange }: Props) {
  const asked = useSettled(askedOf(query))
  const found = useQuery({
    queryKey: ['measurands', asked],
    queryFn: () => ask(api.GET('/api/v1/measurands', { params: { query: asked } })),
    placeholderData: (kept) => kept,
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const chosen = chosenOf(query, found.data)
  if (chosen === undefined) {
    return (
      <Text>
        {Object.keys(asked).length === 0
          ? 'Nothing was read of any unit yet; start on the Run page.'
          : 'No unit that is all of that has readings. Leave something out.'}
      </Text>
    )
  }
  return (
    <Box>
      <MeasurandChoice query={query} found={found.data} chosen={chosen} onChange={onChange} />
      <TrendView
        query={query}
        asked={{ of: 'units', ...trendAskedOf(query, chosen) }}
        zone={zone}
        onChange={onChange}
      />
    </Box>
  )
}
