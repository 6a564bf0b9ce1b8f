import { Flex, Image, Input, Text } from '@chakra-ui/react'
import { type FormEvent, lazy, Suspense, useCallback, useState } from 'react'
import { ask } from '../api/client'
import { sendPicture } from '../api/pictures'
import { KeyButton } from '../parts/KeyButton'
import { Trouble } from '../parts/Trouble'
import { useKey } from '../parts/useKey'
import { Waiting } from '../parts/Waiting'
import type { Beside, Filled } from './EntriesForm'
import { type Question, WHOLE_LOAD } from './question'

const EntriesForm = lazy(() => import('./EntriesForm'))

/** What is answered: a choice or figure with a note and a picture, or the entries of a form. */
export interface Given {
  choice: string
  note: string
  picture: string
  values: Record<string, string>
  beside: Record<string, Beside>
}

interface Props {
  question: Question
  /** Who is meant, for people: a nest with its serial, the whole load, a fixture. */
  place: string
  onAnswer: (given: Given) => Promise<unknown>
  /** How long the output of its step has been on, by the instrument; null if not heard yet. */
  elapsedS?: number | null
}

/** An open question with its choices on the keys 1, 2, 3, and its picture if it has one. */
export function QuestionBar({ question, place, onAnswer, elapsedS }: Props) {
  const [trouble, setTrouble] = useState('')
  const [noting, setNoting] = useState('')

  const answer = useCallback(
    async (choice: string, note: string, photo?: File, filled?: Filled) => {
      try {
        const picture = photo === undefined ? '' : await sendPicture(photo)
        const given = { choice, note, picture, ...(await whatIsIn(filled)) }
        await ask(onAnswer(given) as Parameters<typeof ask>[0])
        setTrouble('')
      } catch (error) {
        setTrouble((error as Error).message)
      }
    },
    [onAnswer],
  )
  const choose = useCallback(
    (choice: string | undefined) => {
      if (choice === undefined) return
      if (question.note_for.includes(choice)) setNoting(choice)
      else void answer(choice, '')
    },
    [answer, question.note_for],
  )

  return (
    <Flex
      role="group"
      aria-label={`Question for ${question.nest === WHOLE_LOAD ? 'the whole load' : `nest ${question.nest}`}`}
      bg={question.hands_in ? '#1f4f8f' : 'unsure.wash'}
      color={question.hands_in ? '#ffffff' : 'ink'}
      borderLeftWidth="6px"
      borderColor="unsure"
      p="4"
      gap="4"
      align="center"
      wrap="wrap"
    >
      {question.picture && (
        <Image
          src={`/api/v1/pictures/${question.picture}`}
          alt={`Picture for: ${question.question}`}
          maxH="12rem"
        />
      )}
      <Text fontSize="xl" flex="1" minW="20rem">
        {question.hands_in && (
          <Text as="span" display="block" fontSize="3xl" fontWeight="bold">
            Hands in
          </Text>
        )}
        <b>{place}:</b> {question.question}
      </Text>
      {question.entries.length > 0 ? (
        <Suspense fallback={<Waiting />}>
          <EntriesForm
            entries={question.entries}
            elapsedS={elapsedS}
            onFilled={(filled) => void answer('', '', undefined, filled)}
          />
        </Suspense>
      ) : question.quantity !== '' ? (
        <FigureForm
          question={question}
          onFigure={(figure, photo) => void answer(figure, '', photo)}
        />
      ) : noting === '' ? (
        <Flex gap="4" wrap="wrap">
          {question.choices.map((choice, index) => (
            <ChoiceButton key={choice} choice={choice} index={index} onChoose={choose} />
          ))}
        </Flex>
      ) : (
        <NoteForm choice={noting} onNote={(note) => void answer(noting, note)} />
      )}
      {trouble && <Trouble text={trouble} />}
    </Flex>
  )
}

/** A form's values and what came with them, its photos sent. */
async function whatIsIn(filled?: Filled): Promise<Pick<Given, 'values' | 'beside'>> {
  const beside = { ...filled?.beside }
  for (const [name, photo] of Object.entries(filled?.photos ?? {})) {
    const own = beside[name] ?? { note: '', target: '', reason: '' }
    beside[name] = { ...own, picture: await sendPicture(photo) }
  }
  return { values: filled?.values ?? {}, beside }
}

interface ChoiceProps {
  choice: string
  index: number
  onChoose: (choice: string) => void
}

function ChoiceButton({ choice, index, onChoose }: ChoiceProps) {
  const keyName = String(index + 1)
  useKey(
    keyName,
    true,
    useCallback(() => onChoose(choice), [choice, onChoose]),
  )
  return (
    <KeyButton
      keyName={keyName}
      variant="outline"
      bg="plate"
      color="ink"
      borderColor="edge"
      onClick={() => onChoose(choice)}
    >
      {choice}
    </KeyButton>
  )
}

interface FigureProps {
  question: Question
  onFigure: (figure: string, photo: File | undefined) => void
}

/** A figure with its unit, as read from another device, the target standing there first; a photo. */
function FigureForm({ question, onFigure }: FigureProps) {
  const [figure, setFigure] = useState(question.target)
  const [photo, setPhoto] = useState<File>()
  const typed = figure.trim()
  const isEnough =
    question.photo === 'beside'
      ? typed !== '' && photo !== undefined
      : typed !== '' || photo !== undefined
  function submit(event: FormEvent) {
    event.preventDefault()
    if (isEnough) onFigure(typed, photo)
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="3" align="center" wrap="wrap">
        <Input
          aria-label={question.question}
          autoFocus
          autoComplete="off"
          size="lg"
          w="14rem"
          bg="plate"
          borderColor="edge"
          placeholder="Figure with its unit"
          value={figure}
          onFocus={(event) => event.target.select()}
          onChange={(event) => setFigure(event.target.value)}
        />
        {question.photo !== 'none' && (
          <label>
            {question.photo === 'beside' ? 'with a photo ' : 'or a photo '}
            <input
              type="file"
              accept="image/png,image/jpeg,image/webp"
              capture="environment"
              onChange={(event) => setPhoto(event.target.files?.[0])}
            />
          </label>
        )}
        <KeyButton keyName="Enter" type="submit" bg="act" color="act.ink" disabled={!isEnough}>
          {typed === '' && photo !== undefined ? 'Hand in the photo' : 'Enter figure'}
        </KeyButton>
      </Flex>
    </form>
  )
}

function NoteForm({ choice, onNote }: { choice: string; onNote: (note: string) => void }) {
  const [note, setNote] = useState('')
  function submit(event: FormEvent) {
    event.preventDefault()
    if (note.trim()) onNote(note.trim())
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="3" align="center" wrap="wrap">
        <label htmlFor="note">Why {choice}?</label>
        <Input
          id="note"
          autoFocus
          autoComplete="off"
          size="lg"
          w="22rem"
          bg="plate"
          borderColor="edge"
          value={note}
          onChange={(event) => setNote(event.target.value)}
        />
        <KeyButton
          keyName="Enter"
          type="submit"
          bg="act"
          color="act.ink"
          disabled={note.trim() === ''}
        >
          {choice}
        </KeyButton>
      </Flex>
    </form>
  )
}
