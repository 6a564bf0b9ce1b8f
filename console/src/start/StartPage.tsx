import { Box, Flex, Grid, Heading, Stack, Text } from '@chakra-ui/react'
import { type UseQueryResult, useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { LINK } from '../parts/link'
import { momentText } from '../parts/moment'
import { Trouble } from '../parts/Trouble'
import { useZone } from '../parts/useMoment'
import { VerdictMark } from '../parts/VerdictMark'
import { words } from '../parts/words'
import { dueOf } from './due'

const WEEKS = 6
const SHOWN = 5
const AGAIN_MS = 30_000

/** What quality begins the day with: yield, open items, failures, what is stuck, what is due. */
export default function StartPage() {
  const zone = useZone()
  return (
    <Stack gap="4">
      <Heading as="h1" size="2xl">
        Today
      </Heading>
      <Grid templateColumns={{ base: '1fr', lg: '1fr 1fr' }} gap="4" alignItems="start">
        <Stack gap="4" minW="0">
          <YieldPlate />
          <FailuresPlate zone={zone} />
        </Stack>
        <Stack gap="4" minW="0">
          <ItemsPlate zone={zone} />
          <DuePlate />
          <StuckPlate />
        </Stack>
      </Grid>
    </Stack>
  )
}

interface PlateProps<T> {
  title: string
  /** Where all of it is. */
  to: string
  found: UseQueryResult<T>
  /** What is said where there is nothing. */
  nothing: string
  isEmpty: (data: T) => boolean
  children: (data: T) => ReactNode
}

function Plate<T>({ title, to, found, nothing, isEmpty, children }: PlateProps<T>) {
  return (
    <Box as="section" aria-label={title} bg="plate" borderWidth="1px" borderColor="edge" p="4">
      <Flex justify="space-between" mb="2">
        <Heading as="h2" size="md">
          {title}
        </Heading>
        <Link to={to} style={LINK} aria-label={`All: ${title}`}>
          All
        </Link>
      </Flex>
      {found.isError && <Trouble text={found.error.message} />}
      {found.data !== undefined &&
        (isEmpty(found.data) ? <Text color="soft">{nothing}</Text> : children(found.data))}
    </Box>
  )
}

const LENGTH = 200

function YieldPlate() {
  const since = `${7 * WEEKS}d`
  const found = useQuery({
    queryKey: ['yields', 'week', since],
    queryFn: () =>
      ask(api.GET('/api/v1/yields/{by}', { params: { path: { by: 'week' }, query: { since } } })),
    refetchInterval: AGAIN_MS,
  })
  return (
    <Plate
      title="First-pass yield by week"
      to={`/trends?view=yields&since=${since}`}
      found={found}
      nothing={`No unit was tested to a verdict in ${WEEKS} weeks.`}
      isEmpty={({ groups }) => groups.length === 0}
    >
      {({ groups, causes }) => (
        <>
          <Lines>
            {groups.slice(-WEEKS).map((each) => (
              <Week key={each.name} told={each} />
            ))}
          </Lines>
          {causes[0] && (
            <Text mt="2" color="soft">
              Most failed at {causes[0].title || causes[0].step}: {words(causes[0].cause)},{' '}
              {causes[0].units} {causes[0].units === 1 ? 'unit' : 'units'}.
            </Text>
          )}
        </>
      )}
    </Plate>
  )
}

function Lines({ children }: { children: ReactNode }) {
  return (
    <Stack as="ul" gap="1.5" listStyleType="none">
      {children}
    </Stack>
  )
}

function Week({ told }: { told: Schemas['YieldOut'] }) {
  const share = told.first_pass?.share ?? 0
  return (
    <Flex as="li" gap="3" align="center" fontVariantNumeric="tabular-nums">
      <Text w="6rem">{told.name}</Text>
      <Text w="4.5rem" textAlign="right">
        {(share * 100).toFixed(1)} %
      </Text>
      <svg width={LENGTH} height="12" viewBox={`0 0 ${LENGTH} 12`} aria-hidden="true">
        <rect y="3" width={LENGTH} height="6" fill="var(--chakra-colors-edge)" />
        <rect y="3" width={share * LENGTH} height="6" fill="var(--chakra-colors-act)" />
      </svg>
      <Text color="soft">of {told.tested}</Text>
    </Flex>
  )
}

function ItemsPlate({ zone }: { zone: string }) {
  const found = useQuery({
    queryKey: ['items', 'open', SHOWN],
    queryFn: () =>
      ask(api.GET('/api/v1/items', { params: { query: { state: 'open', count: SHOWN } } })),
    refetchInterval: AGAIN_MS,
  })
  return (
    <Plate
      title="Open items"
      to="/trends?view=items"
      found={found}
      nothing="Nothing is to be looked into."
      isEmpty={(items) => items.length === 0}
    >
      {(items) => (
        <Lines>
          {items.map((each) => (
            <Box as="li" key={each.id}>
              <Text truncate title={each.text}>
                <Link to={each.address || '/trends?view=items'} style={LINK}>
                  {each.about}
                </Link>{' '}
                {each.text}
              </Text>
              <Text color="soft" fontSize="sm">
                {each.owner}, {momentText(each.raised_at, zone)}
              </Text>
            </Box>
          ))}
        </Lines>
      )}
    </Plate>
  )
}

function FailuresPlate({ zone }: { zone: string }) {
  const found = useQuery({
    queryKey: ['units', 'failed', SHOWN],
    queryFn: () =>
      ask(api.GET('/api/v1/units', { params: { query: { verdict: ['fail'], count: SHOWN } } })),
    refetchInterval: AGAIN_MS,
  })
  return (
    <Plate
      title="Last failures"
      to="/units?verdict=fail"
      found={found}
      nothing="No unit has failed."
      isEmpty={(units) => units.length === 0}
    >
      {(units) => (
        <Lines>
          {units.map((each) => (
            <Box as="li" key={each.id}>
              <Flex gap="3" align="center" wrap="wrap">
                <Link to={`/units/${each.serial}`} style={LINK}>
                  {each.serial}
                </Link>
                <VerdictMark verdict={each.verdict} cause={each.cause} />
                <Text>{each.failed.map(words).join(', ')}</Text>
              </Flex>
              <Text color="soft" fontSize="sm">
                {[each.product, each.lot, `${each.fixture}/${each.nest}`]
                  .filter(Boolean)
                  .join(', ')}
                , {momentText(each.begun_at, zone)}
              </Text>
            </Box>
          ))}
        </Lines>
      )}
    </Plate>
  )
}

function DuePlate() {
  const found = useQuery({
    queryKey: ['bench'],
    queryFn: () => ask(api.GET('/api/v1/bench')),
    select: dueOf,
    refetchInterval: AGAIN_MS,
  })
  return (
    <Plate
      title="Instruments and checks due"
      to="/bench"
      found={found}
      nothing="Every instrument answers and is calibrated, every fixture is fit."
      isEmpty={(due) => due.length === 0}
    >
      {(due) => (
        <Lines>
          {due.slice(0, SHOWN).map((each) => (
            <Box as="li" key={`${each.what} ${each.why}`}>
              <Link to={each.address} style={LINK}>
                {each.what}
              </Link>{' '}
              {each.why}
            </Box>
          ))}
          {due.length > SHOWN && <Text color="soft">and {due.length - SHOWN} more</Text>}
        </Lines>
      )}
    </Plate>
  )
}

function StuckPlate() {
  const found = useQuery({
    queryKey: ['outbox'],
    queryFn: () => ask(api.GET('/api/v1/outbox', { params: { query: { waiting: true } } })),
    refetchInterval: AGAIN_MS,
    select: (waiting) => waiting.filter(({ problem }) => problem !== ''),
  })
  return (
    <Plate
      title="Stuck on its way"
      to="/people"
      found={found}
      nothing="Everything has got to where it is sent."
      isEmpty={(stuck) => stuck.length === 0}
    >
      {(stuck) => (
        <Lines>
          {stuck.slice(0, SHOWN).map((each) => (
            <Box as="li" key={each.id}>
              <b>{each.subject}</b> to {each.target}: {each.problem}
            </Box>
          ))}
          {stuck.length > SHOWN && <Text color="soft">and {stuck.length - SHOWN} more</Text>}
        </Lines>
      )}
    </Plate>
  )
}
