import { Box, Button, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, Refused } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { Mark } from '../parts/Mark'
import { Trouble } from '../parts/Trouble'
import { FirstAccount } from './FirstAccount'
import { useSession } from './SessionProvider'

/** Sign in; at a new site, make the first account. */
export function SignInPage() {
  const health = useQuery({ queryKey: ['health'], queryFn: () => ask(api.GET('/health')) })
  return (
    <Box as="main" minH="100vh" display="grid" placeItems="center" p="6">
      <Box
        bg="plate"
        borderWidth="1px"
        borderColor="edge"
        p="8"
        w="min(26rem, 100%)"
        clipPath="polygon(0 0, calc(100% - 24px) 0, 100% 24px, 100% 100%, 0 100%)"
      >
        <Stack gap="5">
          <Stack direction="row" align="center" gap="3">
            <Mark size={36} />
            <Heading as="h1" size="2xl">
              Loricate
            </Heading>
          </Stack>
          {health.data?.needs_first_account ? <FirstAccount /> : <SignInForm />}
        </Stack>
      </Box>
    </Box>
  )
}

/** Over the page as it was left, once the service has ended the sign-in; nothing typed is lost. */
export function SignInAgain() {
  return (
    <Box
      position="fixed"
      inset="0"
      bg="blackAlpha.600"
      zIndex="5"
      display="grid"
      placeItems="center"
    >
      <Box
        role="dialog"
        aria-modal="true"
        aria-label="Sign in again"
        bg="plate"
        borderWidth="1px"
        borderColor="edge"
        p="8"
        w="min(26rem, 100%)"
      >
        <Stack gap="4">
          <Heading as="h2" size="xl">
            Your sign-in has ended
          </Heading>
          <Text>
            It was not used for long, or was ended elsewhere. This page stays as you left it.
          </Text>
          <SignInForm />
        </Stack>
      </Box>
    </Box>
  )
}

function SignInForm() {
  const { signIn } = useSession()
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const [code, setCode] = useState('')
  const [asksCode, setAsksCode] = useState(false)
  const [trouble, setTrouble] = useState('')
  const [busy, setBusy] = useState(false)

  async function submit(event: FormEvent) {
    event.preventDefault()
    setBusy(true)
    try {
      await signIn(name, password, code)
    } catch (error) {
      if (error instanceof Refused && error.problem?.type.endsWith(':code-needed')) {
        setAsksCode(true)
      }
      setTrouble((error as Error).message)
      setBusy(false)
    }
  }

  return (
    <form onSubmit={submit}>
      <Stack gap="5">
        <Text color="soft">Sign in to test units on this bench.</Text>
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
          label="Password"
          value={password}
          onChange={setPassword}
          type="password"
          auto="current-password"
        />
        {asksCode && (
          <LabelledInput
            size="lg"
            isRequired
            label="One-time code"
            value={code}
            onChange={setCode}
            auto="one-time-code"
          />
        )}
        {trouble && <Trouble text={trouble} />}
        <Button type="submit" bg="act" color="act.ink" size="lg" loading={busy}>
          Sign in
        </Button>
      </Stack>
    </form>
  )
}
