import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { quantityText } from '../parts/quantity'
import { beginTone, type Tone } from '../parts/tone'
import { greatestOhms, ohmsOf } from './ohms'
import type { Look } from './runState'

/** How far beyond its limit the scale goes. */
const BEYOND = 1.5

interface Props {
  course: Look[]
  /** The limit of the resistance, in Ω; null where there is none. */
  most: number | null
}

/**
 * A resistance while somebody moves what it is of: a needle on a scale with its limit, the greatest so
 * far, and a tone that rises with it, for eyes are on the cord.
 */
export default function Needle({ course, most }: Props) {
  const site = useQuery({ queryKey: ['site'], queryFn: () => ask(api.GET('/api/v1/site')) })
  const sounds: Schemas['SiteOut']['sounds'] | undefined = site.data?.sounds
  const now = ohmsOf(course.at(-1))
  const before = useRef<number | null>(null) // a course is thinned as it grows
  const seen = greatestOhms(course)
  if (seen !== null && seen > (before.current ?? 0)) before.current = seen
  const greatest = before.current
  const scale = (most ?? greatest ?? 1) * BEYOND
  const share = now === null || most === null ? 0 : now / most
  const tone = useRef<Tone | null>(null)
  useEffect(() => {
    if (!sounds) return
    tone.current = beginTone(sounds)
    return () => tone.current?.stop()
  }, [sounds])
  useEffect(() => {
    tone.current?.tell(share)
  }, [share])
  const at = (ohms: number) => `${Math.min(100, (ohms / scale) * 100)}%`
  const isBad = most !== null && greatest !== null && greatest > most
  return (
    <Box mt="2" role="img" aria-label={`Resistance now ${text(now)}, greatest ${text(greatest)}`}>
      <Flex justify="space-between" fontSize="2xl" fontWeight="bold">
        <Text>{text(now)}</Text>
        <Text color={isBad ? 'bad' : undefined}>greatest {text(greatest)}</Text>
      </Flex>
      <Box position="relative" h="28px" bg="sunk" borderWidth="1px" borderColor="edge">
        {most !== null && (
          <Box
            position="absolute"
            left={at(most)}
            right="0"
            top="0"
            bottom="0"
            bg="bad"
            opacity="0.3"
          />
        )}
        {greatest !== null && (
          <Box
            position="absolute"
            left={at(greatest)}
            top="0"
            bottom="0"
            w="2px"
            bg={isBad ? 'bad' : 'ink'}
          />
        )}
        {now !== null && (
          <Box position="absolute" left={at(now)} top="-4px" bottom="-4px" w="4px" bg="act" />
        )}
      </Box>
    </Box>
  )
}

function text(ohms: number | null): string {
  if (ohms === null) return 'no current'
  return Number.isFinite(ohms) ? quantityText(ohms, 'Ω') : 'open'
}
