import { Box, Flex, Heading, Stack, Table, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../api/client'
import { KeyButton } from '../parts/KeyButton'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { useKey } from '../run/useKey'

/** Days before the end of a calibration from which it is pointed out. */
const SOON_DAYS = 30

/** Who answers, calibration and days left, the guard, and the fixtures' wiring. */
export default function BenchPage() {
  const found = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  useKey('F5', !found.isFetching, found.refetch)
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const bench = found.data
  return (
    <Stack gap="5">
      <Flex justify="space-between" align="center" gap="4" wrap="wrap">
        <Box>
          <Heading as="h1" size="2xl">
            {bench.code}
          </Heading>
          <Text color="soft">
            {bench.title}, {bench.site}
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
      {bench.running && <Text>A run is under way; this is what was last seen.</Text>}
      <Guard closed={bench.guard_closed} />
      {bench.instruments
        .filter((each) => each.problem !== '')
        .map((each) => (
          <Trouble key={each.id} text={each.problem} />
        ))}
      <Instruments instruments={bench.instruments} />
      {bench.fixtures.map((fixture) => (
        <Fixture key={fixture.code} fixture={fixture} />
      ))}
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

function calibration(instrument: Schemas['InstrumentOut']): { text: string; ink: string } {
  const days = instrument.days_left
  if (days === null) return { text: '', ink: 'ink' }
  if (days < 0) return { text: `over since ${-days} days: have it calibrated`, ink: 'bad' }
  return { text: `${days} days left`, ink: days < SOON_DAYS ? 'unsure' : 'ink' }
}

function Instruments({ instruments }: { instruments: Schemas['InstrumentOut'][] }) {
  const heads = ['Instrument', 'Answers', 'Address', 'Serial', 'Calibration due', '']
  return (
    <Box bg="plate" borderWidth="1px" borderColor="edge" overflowX="auto">
      <Table.Root size="md" aria-label="Instruments" css={{ '& td, & th': { bg: 'plate' } }}>
        <Table.Header>
          <Table.Row>
            {heads.map((head) => (
              <Table.ColumnHeader key={head} color="soft">
                {head}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {instruments.map((each) => {
            const { text, ink } = calibration(each)
            return (
              <Table.Row key={each.id} color="ink">
                <Table.Cell>
                  <b>{each.id}</b> {each.title}
                </Table.Cell>
                <Table.Cell color={each.problem ? 'bad' : 'good'} fontWeight="bold">
                  {each.problem ? 'NO ANSWER' : 'answers'}
                </Table.Cell>
                <Table.Cell fontSize="sm">{each.address}</Table.Cell>
                <Table.Cell>{each.serial}</Table.Cell>
                <Table.Cell>{each.due ?? ''}</Table.Cell>
                <Table.Cell color={ink}>{text}</Table.Cell>
              </Table.Row>
            )
          })}
        </Table.Body>
      </Table.Root>
    </Box>
  )
}

function Fixture({ fixture }: { fixture: Schemas['FixtureOut'] }) {
  const nests = Object.entries(fixture.nests)
  const terminals = [...new Set(nests.flatMap(([, columns]) => Object.keys(columns)))]
  return (
    <Box bg="plate" borderWidth="1px" borderColor="edge" p="4" overflowX="auto">
      <Heading as="h2" size="lg" mb="2">
        {fixture.code}
        <Text as="span" color="soft" fontSize="md" ml="3" fontWeight="normal">
          {fixture.title}: the matrix column of each contact
        </Text>
      </Heading>
      <Table.Root
        size="sm"
        width="auto"
        aria-label={`Wiring of ${fixture.code}`}
        css={{ '& td, & th': { bg: 'plate' } }}
      >
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader color="soft">Nest</Table.ColumnHeader>
            {terminals.map((terminal) => (
              <Table.ColumnHeader key={terminal} color="soft" textAlign="right">
                {terminal}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {nests.map(([nest, columns]) => (
            <Table.Row key={nest} color="ink">
              <Table.Cell fontWeight="bold">{nest}</Table.Cell>
              {terminals.map((terminal) => (
                <Table.Cell key={terminal} textAlign="right">
                  {columns[terminal] ?? 'none'}
                </Table.Cell>
              ))}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  )
}
