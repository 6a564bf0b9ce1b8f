import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { verdictInk, verdictWord } from '../parts/VerdictMark'
import type { NestState, Span } from './runState'
import { useNow } from './useNow'

const LANE = 20
const LABEL = 64
const WIDTH = 1200
const TICKS = 8
const LONG_MS = 60_000
const TICK_S = [0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600]

interface Props {
  nests: NestState[]
  isLive: boolean
}

/**
 * The pipeline as it ran: a lane a nest, a bar a step, against seconds since the first began. A
 * sample changes nothing of it: it is drawn anew when a step begins or ends, and as time goes on.
 */
export const Timeline = memo(Drawing, (was, is) => {
  const same = was.nests.every((nest, lane) => nest.spans === is.nests[lane]?.spans)
  return same && was.isLive === is.isLive && was.nests.length === is.nests.length
})

function Drawing({ nests, isLive }: Props) {
  const spans = nests.flatMap((nest) => nest.spans)
  const begin = Math.min(...spans.map((span) => span.begin))
  // What goes on for minutes grows by a hair in seconds.
  const now = useNow(isLive, Date.now() - begin > LONG_MS ? 5_000 : 250)
  if (spans.length === 0) return null
  const end = Math.max(...spans.map((span) => span.end ?? now), begin + 1000)
  const scale = (WIDTH - LABEL) / (end - begin)
  const x = (time: number) => LABEL + (time - begin) * scale
  const totalS = (end - begin) / 1000
  const stepS = TICK_S.find((each) => totalS / each <= TICKS) ?? 1200
  const ticks = Array.from({ length: Math.floor(totalS / stepS) + 1 }, (_, index) => index * stepS)
  const height = nests.length * LANE + 20
  return (
    <Box bg="plate" borderWidth="1px" borderColor="edge" p="4">
      <Flex justify="space-between" mb="2">
        <Heading as="h2" size="md">
          Timeline
        </Heading>
        <Text color="soft">{totalS.toFixed(1)} s</Text>
      </Flex>
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        width="100%"
        role="img"
        aria-label={`Timeline of ${nests.length} nests over ${totalS.toFixed(1)} seconds`}
      >
        {ticks.map((tick) => (
          <g key={tick}>
            <line
              x1={x(begin + tick * 1000)}
              x2={x(begin + tick * 1000)}
              y1={0}
              y2={nests.length * LANE}
              stroke="var(--chakra-colors-edge)"
              strokeWidth={1}
            />
            <text
              x={x(begin + tick * 1000) + 3}
              y={height - 4}
              fill="var(--chakra-colors-soft)"
              style={{ fontSize: 12 }}
            >
              {tick} s
            </text>
          </g>
        ))}
        {nests.map((nest, lane) => (
          <g key={nest.nest}>
            <text
              x={0}
              y={lane * LANE + LANE - 7}
              fill="var(--chakra-colors-ink)"
              style={{ fontSize: 13 }}
            >
              Nest {nest.nest}
            </text>
            {nest.spans.map((span) => (
              <Bar
                key={`${span.step}-${span.begin}`}
                span={span}
                x={x(span.begin)}
                y={lane * LANE + 2}
                width={Math.max(3, x(span.end ?? now) - x(span.begin))}
              />
            ))}
          </g>
        ))}
      </svg>
    </Box>
  )
}

function Bar({ span, x, y, width }: { span: Span; x: number; y: number; width: number }) {
  const ink = span.end === null ? 'act' : verdictInk(span.verdict)
  const room = Math.floor((width - 6) / 7)
  const word = span.end === null ? 'under way' : verdictWord(span.verdict)
  return (
    <g>
      <title>{`${span.title}: ${word}`}</title>
      <rect
        x={x}
        y={y}
        width={width}
        height={LANE - 5}
        fill={`var(--chakra-colors-${ink})`}
        fillOpacity={span.end === null ? 0.55 : 0.9}
        stroke="var(--chakra-colors-plate)"
        strokeWidth={1}
      />
      {room >= 4 && (
        <text x={x + 4} y={y + LANE - 9} fill="var(--chakra-colors-plate)" style={{ fontSize: 11 }}>
          {span.step.length > room ? `${span.step.slice(0, room - 1)}…` : span.step}
        </text>
      )}
    </g>
  )
}
