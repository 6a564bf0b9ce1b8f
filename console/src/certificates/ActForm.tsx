import { Button, Flex, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { LabelledInput } from '../parts/LabelledInput'

interface Props {
  title: string
  label: string
  hint: string
  act: string
  isGrave: boolean
  isRequired: boolean
  onAct: (words: string) => Promise<boolean>
  onLeave: () => void
}

/** A deliberate act on a document, with the words that go with it for ever. */
export function ActForm(props: Props) {
  const { title, label, hint, act, isGrave, isRequired, onAct, onLeave } = props
  const [words, setWords] = useState('')
  const [busy, setBusy] = useState(false)

  async function submit(event: FormEvent) {
    event.preventDefault()
    setBusy(true)
    if (await onAct(words.trim())) onLeave()
    setBusy(false)
  }

  return (
    <form onSubmit={submit} aria-label={title}>
      <Stack bg="plate" borderWidth="1px" borderColor={isGrave ? 'bad' : 'edge'} p="4" gap="3">
        <Text fontWeight="bold">{title}</Text>
        <LabelledInput
          label={label}
          hint={hint}
          value={words}
          onChange={setWords}
          isRequired={isRequired}
          isFirst
        />
        <Flex gap="3">
          <Button
            type="submit"
            loading={busy}
            bg={isGrave ? 'bad' : 'act'}
            color={isGrave ? 'plate' : 'act.ink'}
          >
            {act}
          </Button>
          <Button variant="outline" borderColor="edge" color="ink" onClick={onLeave}>
            Leave it
          </Button>
        </Flex>
      </Stack>
    </form>
  )
}
