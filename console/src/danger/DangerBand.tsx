import { Box, Flex, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import { quantityText, timeText } from '../parts/quantity'
import { play } from '../parts/sounds'
import { DangerSign } from './DangerSign'
import { EarthedForm } from './EarthedForm'
import { type Danger, useDanger } from './useDanger'

interface Look {
  word: string
  ground: string
  ink: string
}

/** Each state by word and colour, the same in light and dark: nobody should have to learn two. */
const LOOKS: Record<Danger['state'], Look> = {
  safe: { word: 'Safe', ground: '#1a6445', ink: '#ffffff' },
  armed: { word: 'Armed', ground: '#f2c200', ink: '#17211f' },
  hands_in: { word: 'Hands in', ground: '#1f4f8f', ink: '#ffffff' },
  discharging: { word: 'Discharging', ground: '#f0913a', ink: '#17211f' },
  high_voltage: { word: 'High voltage on', ground: '#a12c1a', ink: '#ffffff' },
  unknown: { word: 'Unknown: treat as charged', ground: '#17211f', ink: '#ffd84a' },
}

/** The band of danger: on every page, on top, never scrolled away. A change is heard. */
export function DangerBand({ mayEarth }: { mayEarth: boolean }) {
  const danger = useDanger()
  const before = useRef<string | null>(null)
  useEffect(() => {
    if (danger === null) return
    if (before.current !== null && before.current !== danger.state) play('attention')
    before.current = danger.state
  }, [danger])
  if (danger === null) return null
  const { word, ground, ink } = LOOKS[danger.state]
  return (
    <Box
      as="section"
      aria-label="Danger"
      data-testid="danger"
      data-state={danger.state}
      position="sticky"
      top="0"
      zIndex="sticky"
      style={{ background: ground, color: ink }}
    >
      <Flex px="5" py="1" minH="12" gap="4" align="center" wrap="wrap">
        <DangerSign state={danger.state} size={36} />
        <Text fontSize="3xl" lineHeight="1.2" fontWeight="bold" aria-live="polite">
          {word}
        </Text>
        <Text fontSize="xl">{toldOf(danger)}</Text>
      </Flex>
      {danger.must_earth && mayEarth && <EarthedForm />}
    </Box>
  )
}

function toldOf(danger: Danger): string {
  const nests = danger.nests.length > 0 ? `nest ${danger.nests.join(', ')}` : ''
  const volts = danger.volts === null ? '' : quantityText(danger.volts, 'V', 2)
  switch (danger.state) {
    case 'safe':
      return 'No hazardous output is on.'
    case 'armed':
      return 'High voltage may come on at any moment.'
    case 'hands_in':
      return `${nests === '' ? '' : `${danger.nests.join(', ')}: `}nothing hazardous starts.`
    case 'discharging':
      return [
        nests,
        volts && `${volts} left`,
        danger.wait_s ? `hands off for ${timeText(danger.wait_s)} more: it stays earthed` : '',
      ]
        .filter(Boolean)
        .join(', ')
    case 'high_voltage':
      return [nests, volts].filter(Boolean).join(', ')
    case 'unknown':
      return danger.reasons.join(' ')
  }
}
