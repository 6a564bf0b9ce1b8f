import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { quantityText } from '../parts/quantity'
import { Trouble } from '../parts/Trouble'
import type { SequenceDocument } from './document'
import { RehearsalView } from './RehearsalView'
import { TakeForm } from './TakeForm'

type Rehearsal = Schemas['RehearsalOut']

interface Props {
  document: SequenceDocument
  /** The step that is being edited; empty when there is none. */
  selected: string
  /** Write what was taken from a reading into a step; false when the step is gone. */
  onTake: (step: string, taken: Schemas['TakenOut'][]) => boolean
}

/** Tries what is written on one nest, with live meters; nothing of it is recorded. */
export function RehearsalPanel({ document, selected, onTake }: Props) {
  const [rehearsal, setRehearsal] = useState<Rehearsal>()
  const [trouble, setTrouble] = useState('')
  const bench = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const fixtures = bench.data?.fixtures ?? []
  const [fixtureCode, setFixture] = useState('')
  const fixture = fixtures.find((each) => each.code === fixtureCode) ?? fixtures[0]
  const nests = Object.keys(fixture?.nests ?? {})
  const [nestName, setNest] = useState('')
  const nest = nests.includes(nestName) ? nestName : (nests[0] ?? '')

  async function act(acting: Promise<Rehearsal>) {
    setTrouble('')
    try {
      setRehearsal(await acting)
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  const prepare = (steps: string[]) => {
    const body = { document, fixture: fixture?.code ?? '', nest, steps }
    return act(ask(api.POST('/api/v1/rehearsals', { body })))
  }
  const path = { rehearsal_id: rehearsal?.id ?? '' }
  const isOn = rehearsal?.state === 'running'

  return (
    <Stack
      gap="3"
      as="section"
      aria-label="Rehearsal"
      p="4"
      borderWidth="2px"
      borderStyle="dashed"
      borderColor="unsure"
    >
      <Flex gap="4" align="center" wrap="wrap">
        <Heading as="h2" size="lg">
          Rehearsal
        </Heading>
        <Text color="soft">Live meters on one nest. Nothing is recorded.</Text>
        <Box flex="1" />
        <Choice
          label="Fixture"
          isLabelHidden
          size="sm"
          width="7rem"
          value={fixture?.code ?? ''}
          options={fixtures.map((each) => each.code)}
          onChange={setFixture}
        />
        <Choice
          label="Nest"
          isLabelHidden
          size="sm"
          width="7rem"
          value={nest}
          options={nests.map((each): [string, string] => [each, `Nest ${each}`])}
          onChange={setNest}
        />
        {selected && (
          <Button
            variant="outline"
            borderColor="act"
            color="act"
            disabled={isOn || nest === ''}
            onClick={() => void prepare([selected])}
          >
            Rehearse {selected}
          </Button>
        )}
        <Button
          variant="outline"
          borderColor="act"
          color="act"
          disabled={isOn || nest === ''}
          onClick={() => void prepare([])}
        >
          Rehearse every step
        </Button>
      </Flex>
      {trouble && <Trouble text={trouble} />}
      {rehearsal?.state === 'ready' && (
        <Flex gap="4" align="center" wrap="wrap" bg="unsure.wash" p="4">
          <Text fontSize="lg" flex="1" minW="20rem">
            Nest {rehearsal.nest} of {rehearsal.fixture} will be energised
            {rehearsal.highest_v > 0 && ` at up to ${quantityText(rehearsal.highest_v, 'V')}`}.
            Close the guard.
          </Text>
          <Button
            bg="act"
            color="act.ink"
            onClick={() =>
              void act(
                ask(api.POST('/api/v1/rehearsals/{rehearsal_id}/start', { params: { path } })),
              )
            }
          >
            Start the rehearsal
          </Button>
          <Button
            variant="outline"
            borderColor="edge"
            color="ink"
            onClick={() => {
              void ask(
                api.POST('/api/v1/rehearsals/{rehearsal_id}/abort', { params: { path } }),
              ).catch(() => undefined)
              setRehearsal(undefined)
            }}
          >
            Leave it
          </Button>
        </Flex>
      )}
      {rehearsal !== undefined && rehearsal.state !== 'ready' && (
        <RehearsalView key={rehearsal.id} rehearsal={rehearsal} onChange={setRehearsal} />
      )}
      {rehearsal !== undefined && !isOn && rehearsal.attempts.length > 0 && (
        <TakeForm key={`take ${rehearsal.id}`} rehearsal={rehearsal} onTake={onTake} />
      )}
    </Stack>
  )
}
