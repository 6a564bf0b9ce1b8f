import { Box, Flex, Grid, Text } from '@chakra-ui/react'
import { quantityText } from '../parts/quantity'
import { VerdictMark, verdictInk } from '../parts/VerdictMark'
import type { Live, NestState } from './runState'

const BOUND = { below: '< ', above: '> ' } as Record<string, string>

/** One nest of the fixture as a plate: its step and live meters, then its verdict. */
export function NestTile({ nest, stepCount }: { nest: NestState; stepCount: number }) {
  const isDone = nest.verdict !== ''
  return (
    <Box
      as="section"
      aria-label={`Nest ${nest.nest}`}
      bg="plate"
      borderWidth="1px"
      borderTopWidth="6px"
      borderColor="edge"
      borderTopColor={isDone ? verdictInk(nest.verdict) : nest.live ? 'act' : 'edge'}
      clipPath="polygon(0 0, calc(100% - 18px) 0, 100% 18px, 100% 100%, 0 100%)"
      p="4"
      minH="13rem"
    >
      <Flex justify="space-between" align="baseline" pr="3">
        <Text fontSize="2xl" fontWeight="bold">
          {nest.nest}
        </Text>
        <Text>{nest.serial}</Text>
      </Flex>
      <Flex gap="1" my="2" aria-hidden="true">
        {Array.from({ length: stepCount }, (_, index) => (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: the marks are the steps' places.
            key={index}
            h="6px"
            flex="1"
            bg={index < nest.done ? 'act' : 'sunk'}
          />
        ))}
      </Flex>
      {isDone ? (
        <Box pt="6">
          <VerdictMark verdict={nest.verdict} cause={nest.cause} size="large" />
        </Box>
      ) : (
        <>
          <Text minH="1.6em" fontWeight="bold">
            {nest.question ? 'Waits for an answer' : nest.step || 'Waits'}
          </Text>
          {nest.live && <Meters live={nest.live} />}
        </>
      )}
    </Box>
  )
}

function Meters({ live }: { live: Live }) {
  const { voltage, current } = live.values
  const hasBoth = voltage !== undefined && current !== undefined && current !== 0
  const rows: [string, string][] = []
  if (voltage !== undefined) rows.push(['Voltage', quantityText(voltage, 'V')])
  if (current !== undefined) {
    rows.push(['Current', `${BOUND[live.bounds.current ?? ''] ?? ''}${quantityText(current, 'A')}`])
  }
  if (hasBoth) {
    const flipped = { below: '> ', above: '< ' } as Record<string, string>
    const sign = flipped[live.bounds.current ?? ''] ?? ''
    rows.push(['U/I', `${sign}${quantityText(Math.abs(voltage / current), 'Ω')}`])
  }
  rows.push(['Left', `${live.remainingS.toFixed(1)} s, ${live.phase}`])
  return (
    <Grid templateColumns="auto 1fr" columnGap="4" rowGap="0.5" fontSize="lg">
      {rows.map(([name, text]) => (
        <Flex key={name} display="contents">
          <Text color="soft">{name}</Text>
          <Text textAlign="right">{text}</Text>
        </Flex>
      ))}
    </Grid>
  )
}
