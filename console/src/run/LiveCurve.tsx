import { Box, Text } from '@chakra-ui/react'
import { memo, useRef } from 'react'
import type { Schemas } from '../api/client'
import { fades } from '../parts/dying'
import { quantityText, timeText } from '../parts/quantity'
import { words } from '../parts/words'
import type { Look, NestState } from './runState'

const WIDTH = 420
const HEIGHT = 96
const LONG_S = 10
const GAUGE_LONG_S = 1
const NEAR = 3
const STEPS = 200
type Limits = Schemas['StepSummary']['limits']
const UNITS: Record<string, string> = {
  current: 'A',
  voltage: 'V',
  resistance: 'Ω',
  pressure: 'Pa',
  temperature: '°C',
}
/** What a gauge or a stimulus shows: watched from its first second on, in a scale that is even. */
const GAUGED = ['temperature', 'pressure']

/**
 * The curves of a long step while it goes on: what a gauge shows, volts and current up a ladder, else
 * resistance.
 */
export function LiveCurve({ nest, limits }: { nest: NestState; limits: Limits }) {
  const course = useInSteps(nest.course)
  const last = course.at(-1)
  const first = course[0]
  if (!last || !first) return null
  const gauged = GAUGED.filter((each) => each in last.values)
  const least = gauged.length > 0 ? GAUGE_LONG_S : LONG_S
  if (last.elapsedS - first.elapsedS < least) return null
  const electric = nest.at ? ['voltage', 'current'] : ['current', 'resistance']
  const shown = gauged.length > 0 ? gauged : electric
  return (
    <Box mt="2" flex="3 1 18rem">
      {shown.map((quantity) => (
        <Strip key={quantity} course={course} quantity={quantity} limits={limits} />
      ))}
    </Box>
  )
}

/**
 * A course that grows by a step at a time, a pixel or two wide: one that is drawn anew for less
 * looks the same, and keeps a processor busy.
 */
function useInSteps(course: Look[]): Look[] {
  const kept = useRef(course)
  const [from, drawn, now] = [course[0], kept.current.at(-1), course.at(-1)]
  const grown = now && drawn ? now.elapsedS - drawn.elapsedS : 0
  const isSame = !!from && kept.current[0] === from && grown >= 0
  if (!isSame || grown * STEPS >= (now?.elapsedS ?? 0) - from.elapsedS) kept.current = course
  return kept.current
}

/** Where the limits of a quantity are. */
export function limitLines(limits: Limits, quantity: string): number[] {
  return limits
    .filter((each) => each.quantity === quantity)
    .flatMap((each) => [each.minimum, each.maximum])
    .filter((line): line is number => line !== null && line > 0)
}

function lookValue(look: Look, quantity: string): number | null {
  if (quantity !== 'resistance') return look.values[quantity] ?? null
  const { voltage, current } = look.values
  return voltage && current && look.phase === 'dwell' ? voltage / current : null
}

interface StripProps {
  course: Look[]
  quantity: string
  limits: Limits
}

interface Spot {
  at: number
  value: number
}

/** One quantity over time, in a logarithmic scale where it dies away. */
const Strip = memo(function Strip({ course, quantity, limits }: StripProps) {
  const lines = limitLines(limits, quantity)
  const spots = course.flatMap((look): Spot[] => {
    const value = lookValue(look, quantity)
    return value !== null && value > 0 ? [{ at: look.elapsedS, value }] : []
  })
  if (spots.length < 2) return null
  const values = spots.map(({ value }) => value)
  // A limit that is near is drawn; one far away would press the curve flat, and is only told.
  const least = Math.min(...values)
  const most = Math.max(...values)
  const near = lines.filter((line) => line >= least / NEAR && line <= most * NEAR)
  const [low, high] = [Math.min(least, ...near), Math.max(most, ...near)]
  const isLog = quantity !== 'voltage' && !GAUGED.includes(quantity) && fades(values)
  const scale = (value: number) => (isLog ? Math.log10(value) : value)
  const [bottom, top] = isLog ? [scale(low), scale(high)] : [0, high]
  const begin = spots[0]?.at ?? 0
  const end = spots.at(-1)?.at ?? 1
  const height = (value: number) =>
    HEIGHT - ((scale(value) - bottom) / (top - bottom || 1)) * (HEIGHT - 4) - 2
  const points = spots
    .map(({ at, value }) => {
      const x = ((at - begin) / (end - begin || 1)) * WIDTH
      return `${x.toFixed(1)},${height(value).toFixed(1)}`
    })
    .join(' ')
  const unit = UNITS[quantity] ?? ''
  const told = `${words(quantity)} from ${quantityText(values[0] ?? 0, unit)} to ${quantityText(values.at(-1) ?? 0, unit)}`
  return (
    <Box mb="1">
      <Text fontSize="xs" color="soft" display="flex" justifyContent="space-between">
        <span>
          {words(quantity)}, {isLog ? `${quantityText(low, unit)} to ` : '0 to '}
          {quantityText(high, unit)}
          {isLog && ', logarithmic'}
          {lines.length > 0 && (
            <Text as="span" color="bad" ml="2">
              limit {lines.map((line) => quantityText(line, unit)).join(' and ')}
              {near.length < lines.length && ', off the scale'}
            </Text>
          )}
        </span>
        <span>{timeText(end - begin)}</span>
      </Text>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        width="100%"
        height={HEIGHT}
        role="img"
        aria-label={`${told} so far`}
        style={{ background: 'var(--chakra-colors-sunk)' }}
      >
        {near.map((line) => (
          <line
            key={line}
            x1={0}
            x2={WIDTH}
            y1={height(line)}
            y2={height(line)}
            stroke="var(--chakra-colors-bad)"
            strokeWidth="1.5"
            strokeDasharray="6 4"
            vectorEffect="non-scaling-stroke"
          />
        ))}
        <polyline
          points={points}
          fill="none"
          stroke="var(--chakra-colors-act)"
          strokeWidth="2"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </Box>
  )
})
