import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'
import { useSession } from './SessionProvider'

/** One-time codes beside the password: set up, proved with one code, and ended. */
export function Codes() {
  const { state, refresh } = useSession()
  const [password, setPassword] = useState('')
  const [code, setCode] = useState('')
  const [made, setMade] = useState<Schemas['CodeSetup']>()
  const [trouble, setTrouble] = useState('')
  const has = state.at === 'in' && state.me.has_codes

  async function submit(event: FormEvent) {
    event.preventDefault()
    try {
      if (made) {
        await ask(api.POST('/api/v1/codes/confirm', { body: { code } }))
        setMade(undefined)
        setCode('')
        await refresh()
      } else if (has) {
        await ask(api.POST('/api/v1/codes/end', { body: { password } }))
        await refresh()
      } else {
        setMade(await ask(api.POST('/api/v1/codes', { body: { password } })))
      }
      setPassword('')
      setTrouble('')
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <Stack gap="3" as="section" aria-label="One-time codes">
      <Heading as="h2" size="lg">
        One-time codes
      </Heading>
      <Text>
        {has
          ? 'A code of your authenticator goes with your password.'
          : 'An authenticator app can make a code that goes with your password.'}
      </Text>
      <form onSubmit={submit}>
        <Flex gap="6" wrap="wrap">
          {made && <Square rows={made.qr} />}
          <Stack gap="4">
            {made ? (
              <>
                <Text>
                  Scan this, or type <code>{made.secret}</code> into the app. It is shown this once.
                </Text>
                <LabelledInput
                  width="12rem"
                  label="Code that it shows"
                  value={code}
                  onChange={setCode}
                  auto="one-time-code"
                />
              </>
            ) : (
              <LabelledInput
                width="16rem"
                label="Your password"
                value={password}
                onChange={setPassword}
                type="password"
                auto="current-password"
              />
            )}
            <Button
              type="submit"
              variant="outline"
              borderColor="edge"
              color="ink"
              alignSelf="flex-start"
              disabled={made ? code.trim() === '' : password === ''}
            >
              {made ? 'Begin codes' : has ? 'End codes' : 'Set up codes'}
            </Button>
          </Stack>
        </Flex>
      </form>
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}

/** A QR code with the quiet zone that scanners want. */
function Square({ rows }: { rows: string[] }) {
  const size = rows.length + 8
  const dark = rows.flatMap((row, y) =>
    [...row].flatMap((sign, x) => (sign === '1' ? [`M${x + 4} ${y + 4}h1v1h-1z`] : [])),
  )
  return (
    <Box bg="white" borderWidth="1px" borderColor="edge">
      <svg width="220" height="220" viewBox={`0 0 ${size} ${size}`} role="img">
        <title>The code to scan</title>
        <path d={dark.join('')} fill="black" shapeRendering="crispEdges" />
      </svg>
    </Box>
  )
}
