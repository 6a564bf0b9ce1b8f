import { Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'

type Key = Schemas['KeyOut']
type Purpose = Key['purpose']

const STATES: Record<Key['state'], string> = { in_use: 'in use', next: 'next', former: 'former' }
const PURPOSES: Purpose[] = ['documents', 'papers']

/** The site's keys: the next one is known to whoever verifies before anything is signed with it. */
export function Keys({ mayChange }: { mayChange: boolean }) {
  const moment = useMoment()
  const queries = useQueryClient()
  const found = useQuery({ queryKey: ['keys'], queryFn: () => ask(api.GET('/api/v1/keys')) })
  const [trouble, setTrouble] = useState('')
  const [done, setDone] = useState('')

  async function act(doing: Promise<string>) {
    try {
      setDone(await doing)
      setTrouble('')
    } catch (error) {
      setTrouble((error as Error).message)
    }
    await queries.invalidateQueries({ queryKey: ['keys'] })
  }
  const prepare = async (purpose: Purpose) => {
    const made = await ask(api.POST('/api/v1/keys', { body: { purpose } }))
    return `The next key for ${made.purpose} is known from now on. Hand out the public keys, then begin it.`
  }
  const begin = async (kid: string) => {
    const made = await ask(api.POST('/api/v1/keys/{kid}/begin', { params: { path: { kid } } }))
    return `It signs from now on. The former key is in ${made.put_away}; keep it apart, or destroy it.`
  }

  const keys = found.data ?? []
  const hasNext = (purpose: Purpose) =>
    keys.some((key) => key.purpose === purpose && key.state === 'next')
  return (
    <Stack gap="3" as="section" aria-label="Keys">
      <Heading as="h2" size="lg">
        Keys
      </Heading>
      {found.isError && <Trouble text={found.error.message} />}
      {trouble && <Trouble text={trouble} />}
      {done && <Text role="status">{done}</Text>}
      <DataTable
        label="Keys of the site"
        rows={keys}
        keyOf={(key) => key.kid}
        columns={[
          {
            head: 'Key',
            cell: (key) => (
              <Text fontFamily="mono" fontSize="sm">
                {key.kid}
              </Text>
            ),
          },
          { head: 'For', cell: (key) => key.purpose },
          { head: 'State', cell: (key) => <b>{STATES[key.state]}</b> },
          { head: 'Begun', cell: (key) => (key.begun_at ? moment(key.begun_at) : '') },
          { head: 'Subject', cell: (key) => key.subject },
          {
            head: 'Do',
            cell: (key) =>
              mayChange &&
              key.state === 'next' && (
                <Button size="xs" bg="act" color="act.ink" onClick={() => void act(begin(key.kid))}>
                  Begin
                </Button>
              ),
          },
        ]}
      />
      <Flex gap="4" align="center" wrap="wrap">
        <a href="/api/v1/site-keys" download="site-keys.json" style={LINK}>
          Public keys (JWK set)
        </a>
        <a href="/api/v1/revocations" download="revocations.jws" style={LINK}>
          Revocation list (JWS)
        </a>
        {mayChange &&
          PURPOSES.filter((purpose) => !hasNext(purpose)).map((purpose) => (
            <Button
              key={purpose}
              size="sm"
              variant="outline"
              borderColor="edge"
              color="ink"
              onClick={() => void act(prepare(purpose))}
            >
              Prepare the next key for {purpose}
            </Button>
          ))}
      </Flex>
    </Stack>
  )
}
