import { Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { api, ask } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'
import { Codes } from './Codes'
import { useSession } from './SessionProvider'
import { Sessions } from './Sessions'

/** One's own password; after a one-time password nothing else is open. */
export default function PasswordPage() {
  const { state, refresh, signOut } = useSession()
  const [present, setPresent] = useState('')
  const [next, setNext] = useState('')
  const [again, setAgain] = useState('')
  const [told, setTold] = useState('')
  const [trouble, setTrouble] = useState('')
  const isForced = state.at === 'in' && state.me.must_change

  async function submit(event: FormEvent) {
    event.preventDefault()
    if (next !== again) {
      setTrouble('The new password was typed differently; type it again.')
      return
    }
    try {
      await ask(api.POST('/api/v1/password', { body: { present, next } }))
      setTrouble('')
      setTold('Your password is changed; your other sessions have ended.')
      setPresent('')
      setNext('')
      setAgain('')
      await refresh()
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  async function everywhere() {
    await ask(api.POST('/api/v1/sign-out-everywhere'))
    await signOut()
  }

  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        {isForced ? 'Password' : 'Your sign-in'}
      </Heading>
      {isForced && <Text>Yours was given to you for once. Choose one that only you know.</Text>}
      <form onSubmit={submit}>
        <Stack gap="4" maxW="28rem">
          <LabelledInput
            size="lg"
            isRequired
            label="Present password"
            value={present}
            onChange={setPresent}
            type="password"
            auto="current-password"
          />
          <LabelledInput
            size="lg"
            isRequired
            label="New password, at least 10 signs"
            value={next}
            onChange={setNext}
            type="password"
            auto="new-password"
          />
          <LabelledInput
            size="lg"
            isRequired
            label="The new one again"
            value={again}
            onChange={setAgain}
            type="password"
            auto="new-password"
          />
          {trouble && <Trouble text={trouble} />}
          {told && <Text role="status">{told}</Text>}
          <Flex gap="3">
            <Button type="submit" bg="act" color="act.ink" disabled={next.length < 10}>
              Change password
            </Button>
            <Button
              variant="outline"
              borderColor="edge"
              color="ink"
              onClick={() => void everywhere()}
            >
              Sign out everywhere
            </Button>
          </Flex>
        </Stack>
      </form>
      {!isForced && <Sessions />}
      {!isForced && <Codes />}
    </Stack>
  )
}
