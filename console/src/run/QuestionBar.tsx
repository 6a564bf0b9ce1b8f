import { Flex, Text } from '@chakra-ui/react'
import { useCallback, useState } from 'react'
import { api, ask } from '../api/client'
import { KeyButton } from '../parts/KeyButton'
import { Trouble } from '../parts/Trouble'
import { type NestState, WHOLE_LOAD } from './runState'
import { useKey } from './useKey'

/** The first open question with its choices on the keys 1, 2 and 3. */
export function QuestionBar({ runId, nests }: { runId: string; nests: NestState[] }) {
  const asking = nests.find((nest) => nest.question !== null)
  const [trouble, setTrouble] = useState('')
  const nest = asking?.question?.nest ?? ''
  const place = nest === WHOLE_LOAD ? 'the whole load' : `nest ${nest}`
  const choices = asking?.question?.choices ?? []

  const answer = useCallback(
    async (choice: string | undefined) => {
      if (choice === undefined) return
      const params = { path: { run_id: runId } }
      try {
        const body = { nest, choice, note: '' }
        await ask(api.POST('/api/v1/runs/{run_id}/answers', { params, body }))
        setTrouble('')
      } catch (error) {
        setTrouble((error as Error).message)
      }
    },
    [runId, nest],
  )
  const [first, second, third] = choices
  useKey(
    '1',
    first !== undefined,
    useCallback(() => void answer(first), [answer, first]),
  )
  useKey(
    '2',
    second !== undefined,
    useCallback(() => void answer(second), [answer, second]),
  )
  useKey(
    '3',
    third !== undefined,
    useCallback(() => void answer(third), [answer, third]),
  )

  if (asking === undefined) return null
  return (
    <Flex
      role="group"
      aria-label={`Question for ${place}`}
      bg="unsure.wash"
      borderLeftWidth="6px"
      borderColor="unsure"
      p="4"
      gap="4"
      align="center"
      wrap="wrap"
    >
      <Text fontSize="xl" flex="1" minW="20rem">
        <b>{nest === WHOLE_LOAD ? 'The whole load' : `Nest ${nest}, ${asking.serial}`}:</b>{' '}
        {asking.question?.text}
      </Text>
      {choices.map((choice, index) => (
        <KeyButton
          key={choice}
          keyName={String(index + 1)}
          variant="outline"
          bg="plate"
          color="ink"
          borderColor="edge"
          onClick={() => void answer(choice)}
        >
          {choice}
        </KeyButton>
      ))}
      {trouble && <Trouble text={trouble} />}
    </Flex>
  )
}
