import { useCallback } from 'react'
import { api } from '../api/client'
import { type Given, QuestionBar } from '../asking/QuestionBar'
import { WHOLE_LOAD } from '../asking/question'
import { ContactPicture } from '../wiring/ContactPicture'
import type { RunState } from './runState'

interface Props {
  runId: string
  /** Whose contacts may be asked for. */
  product: string
  state: RunState
}

/** The first open question of a run. */
export function RunQuestion({ runId, product, state }: Props) {
  const question = state.questions[0]
  const nest = question?.nest ?? ''
  const number = question?.number ?? 0
  const answer = useCallback(
    (given: Given) =>
      api.POST('/api/v1/runs/{run_id}/answers', {
        params: { path: { run_id: runId } },
        body: { nest, question: number, ...given },
      }),
    [runId, nest, number],
  )
  if (question === undefined) return null
  const serial = state.nests.find((each) => each.nest === nest)?.serial
  const place = nest === WHOLE_LOAD ? 'The whole load' : `Nest ${nest}, ${serial}`
  return (
    <>
      {question.touch && <ContactPicture product={product} contact={question.touch} />}
      <QuestionBar
        key={number}
        question={question}
        place={place}
        onAnswer={answer}
        elapsedS={state.nests.find((each) => each.nest === nest)?.live?.elapsedS ?? null}
      />
    </>
  )
}
