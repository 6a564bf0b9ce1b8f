import { Box, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { KeyButton } from '../parts/KeyButton'
import { Trouble } from '../parts/Trouble'
import { useKey } from '../parts/useKey'
import { Waiting } from '../parts/Waiting'
import { BusyNote } from './BusyNote'
import { FixtureCard } from './FixtureCard'
import { InstrumentTable } from './InstrumentTable'
import { MatrixMap } from './MatrixMap'
import { UpkeepBar } from './UpkeepBar'

type NewUpkeep = Schemas['NewUpkeep']

/** Who answers, calibration, the guard, and the fixtures with their zeroes and daily checks. */
export default function BenchPage() {
  const [query, setQuery] = useSearchParams()
  const [trouble, setTrouble] = useState('')
  const found = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const site = useQuery({ queryKey: ['site'], queryFn: () => ask(api.GET('/api/v1/site')) })
  useKey('F5', !found.isFetching, found.refetch)
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const bench = found.data
  const act = query.get('upkeep') ?? bench.upkeep

  async function begin(wanted: Partial<NewUpkeep> & Pick<NewUpkeep, 'kind' | 'fixture'>) {
    setTrouble('')
    try {
      const body = { nests: [], product: '', contacts: [], order: 'set' as const, ...wanted }
      const begun = await ask(api.POST('/api/v1/upkeep', { body }))
      setQuery({ upkeep: begun.id, product: body.product }, { replace: true })
      window.scrollTo({ top: 0 })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <Stack gap="5">
      <Flex justify="space-between" align="center" gap="4" wrap="wrap">
        <Box>
          <Heading as="h1" size="2xl">
            {bench.code}
          </Heading>
          <Text color="soft">
            {bench.title}, {bench.site}
            {site.data?.exports && `. Documents go to ${site.data.exports}`}
            {site.data?.printer && `. Printer ${site.data.printer}`}
          </Text>
        </Box>
        <KeyButton
          keyName="F5"
          bg="act"
          color="act.ink"
          loading={found.isFetching}
          onClick={() => void found.refetch()}
        >
          Look again
        </KeyButton>
      </Flex>
      {act && (
        <UpkeepBar
          key={act}
          id={act}
          product={query.get('product') ?? ''}
          onClose={() => setQuery({}, { replace: true })}
        />
      )}
      {trouble && <Trouble text={trouble} />}
      <BusyNote bench={bench} />
      <Guard closed={bench.guard_closed} />
      {bench.instruments
        .filter((each) => each.problem !== '')
        .map((each) => (
          <Trouble key={each.id} text={each.problem} />
        ))}
      <InstrumentTable instruments={bench.instruments} />
      {bench.fixtures.map((fixture) => (
        <FixtureCard
          key={fixture.code}
          fixture={fixture}
          isBusy={bench.busy_with !== ''}
          onBegin={(kind, code) => void begin({ kind, fixture: code })}
          onTouch={(asked) => void begin(asked)}
        />
      ))}
      <MatrixMap rows={bench.rows} />
      {bench.relay_wear !== '' && <Text>Relay closed most: {bench.relay_wear}.</Text>}
    </Stack>
  )
}

function Guard({ closed }: { closed: boolean | null }) {
  if (closed === true) {
    return (
      <Text fontSize="lg">
        <b>Guard closed.</b> High voltage may be armed.
      </Text>
    )
  }
  return (
    <Trouble
      text={
        closed === false
          ? 'Guard open. Close it before you arm; nothing hazardous can be switched on until then.'
          : 'The guard does not answer, which counts as open. Check its cable and its address.'
      }
    />
  )
}
