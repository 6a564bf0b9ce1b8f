import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { type Given, QuestionBar } from '../asking/QuestionBar'
import type { Question } from '../asking/question'
import { play } from '../parts/sounds'
import { Trouble } from '../parts/Trouble'
import { ContactPicture } from '../wiring/ContactPicture'

type Events = Schemas['UpkeepEvents']

interface Seen {
  text: string
  questions: Question[]
  state: string
  findings: string[]
  /** What the probe touched, in its order; the last one may have been refused. */
  touched: Events['touched'][]
}

const FRESH: Seen = { text: 'Begins', questions: [], state: 'running', findings: [], touched: [] }
const TITLES: Record<string, string> = {
  zero: 'Zero',
  daily_check: 'Daily check',
  capture: 'Capture',
  touch: 'Contacts',
  map: 'Columns',
}

interface Props {
  id: string
  /** Whose contacts are touched, to show them. */
  product?: string
  onClose: () => void
  /** Told the id of what the act has left in the records, where it has one. */
  onMade?: (made: string) => void
}

/** An act of upkeep as it goes: what it does, what it asks, how it ended. */
export function UpkeepBar({ id, product, onClose, onMade }: Props) {
  const queries = useQueryClient()
  const [seen, setSeen] = useState(FRESH)
  const [title, setTitle] = useState('')

  const site = useQuery({ queryKey: ['site'], queryFn: () => ask(api.GET('/api/v1/site')) })
  const voice = useRef(site.data?.sounds)
  voice.current = site.data?.sounds
  const made = useRef(onMade)
  made.current = onMade

  useEffect(() => {
    const source = new EventSource(`/api/v1/upkeep/${id}/events`)
    function on<Name extends keyof Events>(
      name: Name,
      change: (was: Seen, data: Events[Name]) => Seen,
    ) {
      source.addEventListener(name, (message: MessageEvent<string>) => {
        const data = JSON.parse(message.data) as Events[Name]
        setSeen((was) => change(was, data))
      })
    }
    on('state', (was, data) => {
      setTitle(`${TITLES[data.kind] ?? data.kind} of ${data.fixture}`)
      return was
    })
    on('progress', (was, data) => ({ ...was, text: data.text }))
    on('touched', (was, data) => {
      play(data.is_refusal ? 'refused' : 'break', voice.current)
      return { ...was, touched: [...was.touched, data] }
    })
    on('question', (was, data) => ({
      ...was,
      questions: [...was.questions.filter((each) => each.number !== data.number), data],
    }))
    on('answered', (was, data) => ({
      ...was,
      questions: was.questions.filter((each) => each.number !== data.number),
    }))
    on('finished', (was, data) => {
      source.close()
      void queries.invalidateQueries({ queryKey: ['bench'] })
      if (data.made) {
        void queries.invalidateQueries({ queryKey: ['captures'] })
        made.current?.(data.made)
      }
      return {
        ...was,
        questions: [],
        state: data.state,
        findings: data.findings,
      }
    })
    return () => source.close()
  }, [id, queries])

  const question = seen.questions[0]
  const nest = question?.nest ?? ''
  const number = question?.number ?? 0
  const answer = useCallback(
    (given: Given) =>
      api.POST('/api/v1/upkeep/{act_id}/answers', {
        params: { path: { act_id: id } },
        body: { nest, question: number, ...given },
      }),
    [id, nest, number],
  )
  const isRunning = seen.state === 'running'
  return (
    <Box
      as="section"
      aria-label="Upkeep"
      aria-live="polite"
      bg="plate"
      borderWidth="1px"
      borderColor="act"
      p="4"
    >
      <Flex justify="space-between" align="center" gap="4" mb="2">
        <Text fontSize="lg">
          <b>{title}:</b> {isRunning ? seen.text : seen.state}
        </Text>
        {isRunning ? (
          <Button
            bg="bad"
            color="plate"
            onClick={() =>
              void ask(
                api.POST('/api/v1/upkeep/{act_id}/abort', { params: { path: { act_id: id } } }),
              ).catch(() => undefined)
            }
          >
            Abort
          </Button>
        ) : (
          <Button variant="outline" color="ink" borderColor="edge" onClick={onClose}>
            Close
          </Button>
        )}
      </Flex>
      {seen.touched.length > 0 && <TouchedList touched={seen.touched} />}
      {question?.touch && product && <ContactPicture product={product} contact={question.touch} />}
      {seen.findings.map((finding) => (
        <Trouble key={finding} text={finding} />
      ))}
      {question && (
        <QuestionBar key={number} question={question} place="By hand" onAnswer={answer} />
      )}
    </Box>
  )
}

/** What was touched: the last one large, and the list to be taken along. */
function TouchedList({ touched }: { touched: Events['touched'][] }) {
  const last = touched.at(-1)
  const right = touched.filter((each) => !each.is_refusal).map((each) => each.contacts[0] ?? '')
  return (
    <Box mb="3">
      <Text fontSize="3xl" fontWeight="bold" color={last?.is_refusal ? 'bad' : 'good'}>
        {last?.is_refusal ? 'Wrong: ' : ''}
        {last?.text}
      </Text>
      <Text color="soft">
        {right.length} so far: {right.join(' ')}
      </Text>
    </Box>
  )
}
