import { Box, Button, Heading, Input, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { Mark } from '../parts/Mark'
import { Trouble } from '../parts/Trouble'
import { useSession } from './SessionProvider'

export function SignInPage() {
  const { signIn } = useSession()
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const [trouble, setTrouble] = useState('')
  const [busy, setBusy] = useState(false)

  async function submit(event: FormEvent) {
    event.preventDefault()
    setBusy(true)
    try {
      await signIn(name, password)
    } catch (error) {
      setTrouble((error as Error).message)
      setBusy(false)
    }
  }

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
        <form onSubmit={submit}>
          <Stack gap="5">
            <Stack direction="row" align="center" gap="3">
              <Mark size={36} />
              <Heading as="h1" size="2xl">
                Loricate
              </Heading>
            </Stack>
            <Text color="soft">Sign in to test units on this bench.</Text>
            <Field label="Name" value={name} onChange={setName} kind="text" auto="username" />
            <Field
              label="Password"
              value={password}
              onChange={setPassword}
              kind="password"
              auto="current-password"
            />
            {trouble && <Trouble text={trouble} />}
            <Button type="submit" bg="act" color="act.ink" size="lg" loading={busy}>
              Sign in
            </Button>
          </Stack>
        </form>
      </Box>
    </Box>
  )
}

interface FieldProps {
  label: string
  value: string
  onChange: (value: string) => void
  kind: string
  auto: string
}

function Field({ label, value, onChange, kind, auto }: FieldProps) {
  const id = `sign-in-${label.toLowerCase()}`
  return (
    <Stack gap="1">
      <label htmlFor={id}>{label}</label>
      <Input
        id={id}
        type={kind}
        autoComplete={auto}
        required
        size="lg"
        borderColor="edge"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </Stack>
  )
}
