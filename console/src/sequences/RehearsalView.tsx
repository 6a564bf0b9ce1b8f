import { Box, Button, Flex, Stack, Text } from '@chakra-ui/react'
import { useCallback, useReducer } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { type Given, QuestionBar } from '../asking/QuestionBar'
import { ReadingsTable } from '../parts/ReadingsTable'
import { Trouble } from '../parts/Trouble'
import { VerdictMark } from '../parts/VerdictMark'
import { NestTile } from '../run/NestTile'
import { after, isAsked, type RunEvent, rehearsalState } from '../run/runState'
import { useRunEvents } from '../run/useRunEvents'

type Rehearsal = Schemas['RehearsalOut']

interface Props {
  rehearsal: Rehearsal
  onChange: (rehearsal: Rehearsal) => void
}

/** A rehearsal as it goes, and what it measured. */
export function RehearsalView({ rehearsal, onChange }: Props) {
  const { id, nest } = rehearsal
  const isOn = rehearsal.state === 'running'
  const [state, dispatch] = useReducer(after, nest, rehearsalState)
  const onEvents = useCallback(
    (events: RunEvent[]) => {
      events.forEach(dispatch)
      if (events.some((each) => each.name === 'finished')) {
        const params = { path: { rehearsal_id: id } }
        void ask(api.GET('/api/v1/rehearsals/{rehearsal_id}', { params })).then(onChange)
      }
    },
    [id, onChange],
  )
  const isStale = useRunEvents(`/api/v1/rehearsals/${id}/events`, isOn, onEvents)
  const question = state.questions[0]
  const number = question?.number ?? 0
  const place = question?.nest ?? ''
  const answer = useCallback(
    (given: Given) =>
      api.POST('/api/v1/rehearsals/{rehearsal_id}/answers', {
        params: { path: { rehearsal_id: id } },
        body: { nest: place, question: number, ...given },
      }),
    [id, place, number],
  )
  const [tile] = state.nests

  if (isOn && tile !== undefined) {
    return (
      <Stack gap="3">
        {isStale && <Trouble text="The live view is cut off. It reconnects by itself." />}
        {question && (
          <QuestionBar key={number} question={question} place={`Nest ${nest}`} onAnswer={answer} />
        )}
        <Flex gap="4" align="start">
          <Box w="24rem">
            <NestTile
              nest={tile}
              steps={rehearsal.steps}
              isAsked={isAsked(state, nest)}
              isCompact={false}
            />
          </Box>
          <Button
            size="lg"
            bg="bad"
            color="plate"
            onClick={() => {
              const params = { path: { rehearsal_id: id } }
              void ask(api.POST('/api/v1/rehearsals/{rehearsal_id}/abort', { params })).catch(
                () => undefined,
              )
            }}
          >
            Abort
          </Button>
        </Flex>
      </Stack>
    )
  }
  return (
    <Stack gap="3">
      <Flex gap="4" align="center">
        <VerdictMark verdict={rehearsal.verdict} size="large" />
        <Text>
          Rehearsed on nest {nest} of {rehearsal.fixture}, {rehearsal.state}. Nothing was recorded.
        </Text>
      </Flex>
      {rehearsal.note && <Trouble text={rehearsal.note} />}
      {rehearsal.unjudged.length > 0 && (
        <Text>Without a limit to be judged by: {rehearsal.unjudged.join(', ')}.</Text>
      )}
      <ReadingsTable attempts={rehearsal.attempts} label="Readings of the rehearsal" />
    </Stack>
  )
}
