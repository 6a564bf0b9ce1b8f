import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { useMemo, useState } from 'react'
import { Choice } from '../parts/Choice'
import { quantityText } from '../parts/quantity'
import { CurvePlots } from './CurvePlot'
import { type Drawn, peakOf, pointsOf } from './drawn'
import { type View, wavesIn } from './waveform'

const VIEWS: [View, string][] = [
  ['overlaid', 'overlaid: each at its last pulse'],
  ['nested', 'nested: the rising pulses of a phase'],
  ['singly', 'singly: one pulse after another'],
]

/** Pulses of phases: laid over each other, nested by rising volts, or one at a time. */
export function Waves({ drawn }: { drawn: Drawn[] }) {
  const phases = pointsOf(drawn)
  const [view, setView] = useState<View>('overlaid')
  const [phase, setPhase] = useState('')
  const [pulse, setPulse] = useState(0)
  const own = phases.includes(phase) ? phase : (phases[0] ?? '')
  const shown = useMemo(() => wavesIn(drawn, view, own, pulse), [drawn, view, own, pulse])
  const count = Math.max(1, wavesIn(drawn, 'nested', own, 0).length)
  const place = Math.min(pulse, count - 1)
  return (
    <Box as="section" aria-label="Waveforms" mb="4">
      <Flex gap="5" align="center" wrap="wrap" mb="2">
        <Choice
          label="Waveforms"
          width="20rem"
          value={view}
          options={VIEWS}
          onChange={(chosen) => setView(chosen as View)}
        />
        {view !== 'overlaid' && (
          <Choice
            label="Phase"
            width="8rem"
            value={own}
            options={phases.map((each): [string, string] => [each, each || 'whole unit'])}
            onChange={setPhase}
          />
        )}
        {view === 'singly' && (
          <Flex gap="2" align="center">
            <Step name="Former pulse" sign="‹" isOff={place === 0} go={() => setPulse(place - 1)} />
            <Text role="status" minW="14rem" textAlign="center">
              Pulse {place + 1} of {count}, peak{' '}
              {quantityText(shown[0] ? peakOf(shown[0].curve) : Number.NaN, 'V')}
            </Text>
            <Step
              name="Next pulse"
              sign="›"
              isOff={place === count - 1}
              go={() => setPulse(place + 1)}
            />
          </Flex>
        )}
      </Flex>
      <CurvePlots drawn={shown} quantity="voltage" />
    </Box>
  )
}

interface StepProps {
  name: string
  sign: string
  isOff: boolean
  go: () => void
}

function Step({ name, sign, isOff, go }: StepProps) {
  return (
    <Button
      aria-label={name}
      size="sm"
      variant="outline"
      color="ink"
      borderColor="edge"
      disabled={isOff}
      onClick={go}
    >
      {sign}
    </Button>
  )
}
