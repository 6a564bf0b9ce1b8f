import { Button, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { api, ask } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'
import { useSession } from './SessionProvider'

/** A new site: the first engineer, with the one-time code from the service's log. */
export function FirstAccount() {
  const { signIn } = useSession()
  const [code, setCode] = useState('')
  const [name, setName] = useState('')
  const [fullName, setFullName] = useState('')
  const [password, setPassword] = useState('')
  const [trouble, setTrouble] = useState('')

  async function submit(event: FormEvent) {
    event.preventDefault()
    try {
      const body = { code, name, full_name: fullName, password }
      await ask(api.POST('/api/v1/first-account', { body }))
      await signIn(name, password, '')
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <form onSubmit={submit}>
      <Stack gap="4">
        <Text color="soft">
          Nobody has an account here yet. Make the first engineer, who then describes the bench's
          products and sequences and adds everybody else. The code stands in the service's log.
        </Text>
        <LabelledInput
          size="lg"
          isRequired
          label="Code"
          value={code}
          onChange={setCode}
          auto="off"
        />
        <LabelledInput
          size="lg"
          isRequired
          label="Name"
          value={name}
          onChange={setName}
          auto="username"
        />
        <LabelledInput
          size="lg"
          isRequired
          label="Full name"
          value={fullName}
          onChange={setFullName}
          auto="name"
        />
        <LabelledInput
          size="lg"
          isRequired
          label="Password, at least 10 signs"
          value={password}
          onChange={setPassword}
          type="password"
          auto="new-password"
        />
        {trouble && <Trouble text={trouble} />}
        <Button
          type="submit"
          bg="act"
          color="act.ink"
          size="lg"
          disabled={password.length < 10 || code === '' || name === '' || fullName === ''}
        >
          Make the first engineer
        </Button>
      </Stack>
    </form>
  )
}
