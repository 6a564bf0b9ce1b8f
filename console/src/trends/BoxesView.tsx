import { Box, Flex, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { measurand } from '../parts/words'
import { TrendView } from './TrendView'

type Read = Schemas['CheckMeasurandOut']

interface Props {
  query: URLSearchParams
  zone: string
  onChange: (changed: Record<string, string>) => void
}

const keyOf = (each: Read) =>
  [each.box, each.serial, each.step, each.quantity, each.point, each.instrument].join('|')

/** What daily checks have read of the reference boxes: what drifts there is an instrument. */
export function BoxesView({ query, zone, onChange }: Props) {
  const bench = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const fixtures = bench.data?.fixtures.map(({ code }) => code) ?? []
  const fixture = query.get('of') || fixtures[0] || ''
  const listed = useQuery({
    queryKey: ['check-measurands', fixture],
    queryFn: () => ask(api.GET('/api/v1/check-measurands', { params: { query: { fixture } } })),
    enabled: fixture !== '',
  })
  const trouble = bench.error ?? listed.error
  if (trouble) return <Trouble text={trouble.message} />
  if (listed.data === undefined) return <Waiting />
  const limited = listed.data.filter(({ dimension }) => dimension !== 'time')
  const chosen =
    listed.data.find((each) => keyOf(each) === query.get('reading')) ??
    [...limited].sort((one, other) => other.signals - one.signals)[0]
  return (
    <Stack gap="3">
      <Flex gap="3" wrap="wrap" align="end">
        <Choice
          label="Fixture"
          width="9rem"
          value={fixture}
          options={fixtures}
          onChange={(code) => {
            onChange({ of: code, reading: '' })
          }}
        />
        {chosen && (
          <Choice
            label="Reading of a box"
            width="34rem"
            value={keyOf(chosen)}
            options={listed.data.map((each): [string, string] => [keyOf(each), nameOf(each)])}
            onChange={(key) => onChange({ reading: key })}
          />
        )}
      </Flex>
      {chosen ? (
        <Box>
          <TrendView
            query={query}
            asked={{
              of: 'checks',
              fixture,
              box: chosen.box,
              serial: chosen.serial,
              step: chosen.step,
              quantity: chosen.quantity,
              point: chosen.point,
              instrument: chosen.instrument,
            }}
            zone={zone}
            onChange={onChange}
          />
        </Box>
      ) : (
        <Text>No daily check of {fixture} has kept figures yet; make one on the Bench page.</Text>
      )}
    </Stack>
  )
}

function nameOf(each: Read): string {
  const told = each.signals > 0 ? ` (${each.signals} signals)` : ''
  return `${each.box} box, ${each.title}: ${measurand(each)} by ${each.instrument}${told}`
}
