import { Box, Flex, Image, Text } from '@chakra-ui/react'
import { lazy, Suspense } from 'react'
import type { Run } from '../api/client'
import { quantityText, timeText } from '../parts/quantity'
import { VerdictMark, verdictInk } from '../parts/VerdictMark'
import { words } from '../parts/words'
import { leftBeside } from './anyOrder'
import { LiveCurve } from './LiveCurve'
import { Plate } from './Plate'
import { breaksOf, type Kept, type Live, type NestState } from './runState'

const Needle = lazy(() => import('./Needle'))

type Limit = Run['steps'][number]['limits'][number]

interface Props {
  nest: NestState
  steps: Run['steps']
  isAsked: boolean
  /** Smaller type, so that two rows of nests and the timeline fit a screen. */
  isCompact: boolean
}

/** One nest of the fixture as a plate: its step and live meters, then its verdict. */
export function NestTile({ nest, steps, isAsked, isCompact }: Props) {
  const isDone = nest.verdict !== ''
  const verdict = isDone ? nest.verdict : nest.failed ? 'fail' : ''
  const ink = verdict ? verdictInk(verdict) : nest.live ? 'act' : 'edge'
  const limits = limitsNow(nest, steps)
  const left = leftBeside(nest, steps)
  // An earth is asked about under its current only while somebody moves its cord.
  const isFlexed = isAsked && nest.live?.phase === 'dwell' && kindOf(nest, steps) === 'ground_bond'
  return (
    <Plate nest={nest.nest} serial={nest.serial} ink={ink}>
      <Flex gap="1" mb="2" aria-hidden="true">
        {Array.from({ length: steps.length }, (_, index) => (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: the marks are the steps' places.
            key={index}
            h="6px"
            flex="1"
            bg={index < nest.done ? 'act' : 'sunk'}
          />
        ))}
      </Flex>
      <Box minH={isCompact ? '8rem' : '10.5rem'} fontSize={isCompact ? 'sm' : 'lg'}>
        {isDone ? (
          <VerdictMark verdict={nest.verdict} cause={nest.cause} size="large" />
        ) : (
          <>
            <Text minH="1.6em" fontWeight="bold">
              {wordFor(nest, steps.length, isAsked)}
              {nest.repetition && nest.step && (
                <Text as="span" color="soft" fontWeight="normal">
                  {` ${nest.repetition.number} of ${nest.repetition.times} done`}
                </Text>
              )}
            </Text>
            {left.length > 0 && <Text color="soft">Left besides: {left.join(', ')}</Text>}
            {nest.at && nest.step && (
              <Text color="soft">
                {nest.at.point}, {nest.at.number} of {nest.at.of}
              </Text>
            )}
            {nest.cue && <CueNote cue={nest.cue} />}
            {breaksOf(nest.live) > 0 && (
              <Text role="alert" color="bad" fontWeight="bold" fontSize="2xl">
                Broke off: {breaksOf(nest.live)}
              </Text>
            )}
            {nest.live && <Meters live={nest.live} limits={limits} />}
            {isFlexed && (
              <Suspense fallback={null}>
                <Needle course={nest.course} most={mostOhms(nest, steps)} />
              </Suspense>
            )}
            {nest.live && (
              <Flex wrap="wrap" columnGap="6">
                <LiveCurve nest={nest} limits={limits} />
                {nest.kept.length > 0 && <KeptList kept={nest.kept} />}
              </Flex>
            )}
            {nest.failed && <VerdictMark verdict="fail" cause={nest.failed.cause} size="large" />}
          </>
        )}
      </Box>
    </Plate>
  )
}

function kindOf(nest: NestState, steps: Run['steps']): string {
  return steps.find((each) => each.id === nest.stepId)?.kind ?? ''
}

/** The greatest resistance that the step under way lets pass, in Ω. */
function mostOhms(nest: NestState, steps: Run['steps']): number | null {
  const limits = steps.find((each) => each.id === nest.stepId)?.limits ?? []
  return limits.find((each) => each.quantity === 'resistance')?.maximum ?? null
}

/** The limits on what the meters show, at the point that is measured now. */
function limitsNow(nest: NestState, steps: Run['steps']): Limit[] {
  const step = steps.find((each) => each.id === nest.stepId)
  const point = nest.at?.point ?? ''
  return (step?.limits ?? []).filter(
    (limit) =>
      // The level is what the step puts on; whether it was reached is told at its end.
      limit.quantity !== 'voltage' &&
      limit.point === point &&
      nest.live !== null &&
      limit.quantity in nest.live.meters,
  )
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

/** What a nest is doing, or waits for. */
function wordFor(nest: NestState, steps: number, isAsked: boolean): string {
  if (isAsked) return 'Waits for an answer'
  if (nest.step) return nest.step
  if (nest.failed) return nest.failed.step
  return nest.done >= steps ? 'All steps done' : 'Waits'
}

function CueNote({ cue }: { cue: NonNullable<NestState['cue']> }) {
  return (
    <Flex gap="3" align="center" bg="unsure.wash" p="2" mb="2">
      {cue.picture && (
        <Image src={`/api/v1/pictures/${cue.picture}`} alt={`Picture: ${cue.text}`} maxH="4rem" />
      )}
      <Text
        color={cue.isRefusal ? 'bad' : undefined}
        fontWeight={cue.isRefusal ? 'bold' : undefined}
      >
        {cue.text}
      </Text>
    </Flex>
  )
}

function leftText(seconds: number): string {
  return seconds < 20 ? `${seconds.toFixed(1)} s` : timeText(seconds)
}

const MOST_KEPT = 6

/** What a long step has kept by now, the newest last. */
function KeptList({ kept }: { kept: Kept[] }) {
  const quantity = kept[0]?.point ? 'current' : 'resistance'
  const own = kept.filter((each) => each.quantity === quantity)
  return (
    <Box mt="2" flex="1 1 12rem" fontSize="md">
      <Text color="soft" fontSize="xs">
        {quantity} at {own[0]?.point ? 'the end of each level' : 'each mark'}
      </Text>
      {own.slice(-MOST_KEPT).map((each) => (
        <Flex key={`${each.point} ${each.atS}`} justify="space-between" gap="3">
          <Text color="soft">{each.point || timeText(each.atS)}</Text>
          <Text>{each.text}</Text>
        </Flex>
      ))}
    </Box>
  )
}

function Meters({ live, limits }: { live: Live; limits: Limit[] }) {
  if (live.phase === 'discharging') {
    return (
      <Text fontSize="lg" fontWeight="bold" color="bad">
        Discharging: {quantityText(live.values.voltage ?? 0, 'V')} left
        {live.remainingS > 0 && `, stays earthed for ${timeText(live.remainingS)}`}
      </Text>
    )
  }
  if (live.phase === 'resting') {
    return (
      <Text fontSize="2xl" fontWeight="bold">
        Next pulse in {timeText(live.remainingS)}
      </Text>
    )
  }
  const isTurned = live.waiting.startsWith('until the voltage is there')
  const rows = Object.entries(live.meters).map(([name, text]): [string, string] => [
    capital(words(name)),
    text,
  ])
  for (const limit of limits) {
    rows.push([limits.length === 1 ? 'Limit' : `Limit, ${words(limit.quantity)}`, limit.text])
  }
  if (!isTurned) rows.push(['Left', `${leftText(live.remainingS)}, ${live.phase}`])
  return (
    <Box>
      {live.waiting && <Text color="soft">Waits {live.waiting}</Text>}
      {isTurned && (
        <Text fontSize="4xl" fontWeight="bold" lineHeight="1.2">
          {live.meters.voltage}
        </Text>
      )}
      {rows.map(([name, text]) => (
        // A reading that does not fit beside its name goes under it: it is never cut.
        <Flex key={name} wrap="wrap" columnGap="3" justify="space-between">
          <Text color="soft">{name}</Text>
          <Text ml="auto" whiteSpace="nowrap" data-reading>
            {text}
          </Text>
        </Flex>
      ))}
    </Box>
  )
}
