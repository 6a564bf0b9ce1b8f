import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, askAll, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { AuditTable } from './AuditTable'
import { Carrying } from './Carrying'
import { Due } from './Due'
import { Keys } from './Keys'
import { Outbox } from './Outbox'
import { RecordsCheck } from './RecordsCheck'

type Account = Schemas['AccountOut']
type Role = Schemas['NewAccount']['role']

const ROLES: Role[] = ['operator', 'engineer', 'quality', 'administrator', 'system']

/** Who may sign in, and what they did. */
export default function PeoplePage() {
  const may = useMay()
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        People
      </Heading>
      {may.people && <Accounts />}
      <Keys mayChange={may.people} />
      <RecordsCheck />
      <Outbox />
      <Due mayLetGo={may.quality} />
      <Carrying />
      <AuditTable />
    </Stack>
  )
}

function Accounts() {
  const moment = useMoment()
  const queries = useQueryClient()
  const found = useQuery({
    queryKey: ['accounts'],
    queryFn: () => askAll(api.GET('/api/v1/accounts')),
  })
  const [once, setOnce] = useState<Schemas['OneTimePassword']>()
  const [trouble, setTrouble] = useState('')

  async function act<T>(doing: Promise<T>): Promise<T | undefined> {
    try {
      const done = await doing
      setTrouble('')
      await queries.invalidateQueries({ queryKey: ['accounts'] })
      await queries.invalidateQueries({ queryKey: ['audit'] })
      return done
    } catch (error) {
      setTrouble((error as Error).message)
      return undefined
    }
  }
  const change = (name: string, body: Schemas['AccountChange']) =>
    act(ask(api.POST('/api/v1/accounts/{name}', { params: { path: { name } }, body })))

  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const hasAdministrator = found.data.some(
    (each) => each.role === 'administrator' && each.state === 'open',
  )
  return (
    <Stack gap="4">
      {!hasAdministrator && (
        <Text color="soft">
          Engineers look after accounts here until somebody is made administrator.
        </Text>
      )}
      <AddAccount
        onAdd={async (body) => {
          const made = await act(ask(api.POST('/api/v1/accounts', { body })))
          if (made) setOnce(made)
          return made !== undefined
        }}
      />
      {once && (
        <Box bg="unsure.wash" borderLeftWidth="5px" borderColor="unsure" p="4" role="status">
          <b>{once.name}</b> signs in with <code>{once.password}</code> and then chooses a password.
          It is shown this once.
        </Box>
      )}
      {trouble && <Trouble text={trouble} />}
      <DataTable
        label="Accounts"
        rows={found.data}
        keyOf={(each) => each.name}
        columns={[
          { head: 'Name', cell: (each) => <b>{each.name}</b> },
          { head: 'Full name', cell: (each) => each.full_name },
          {
            head: 'Role',
            cell: (each) => (
              <Choice
                label={`Role of ${each.name}`}
                isLabelHidden
                size="sm"
                width="9rem"
                value={each.role}
                options={ROLES}
                onChange={(role) => void change(each.name, { role: role as Role })}
              />
            ),
          },
          { head: 'State', cell: (each) => <State account={each} /> },
          {
            head: 'Last sign-in',
            cell: (each) => (each.signed_in_at ? moment(each.signed_in_at) : 'never'),
          },
          {
            head: 'Do',
            cell: (each) => (
              <Flex gap="2">
                <Button
                  size="xs"
                  variant="outline"
                  borderColor="edge"
                  color="ink"
                  aria-label={`New password for ${each.name}`}
                  onClick={async () => {
                    const params = { path: { name: each.name } }
                    setOnce(await act(ask(api.POST('/api/v1/accounts/{name}/reset', { params }))))
                  }}
                >
                  New password
                </Button>
                <Button
                  size="xs"
                  variant="outline"
                  borderColor="edge"
                  color="ink"
                  aria-label={`${each.state === 'closed' ? 'Open' : 'Close'} ${each.name}`}
                  onClick={() => void change(each.name, { closed: each.state !== 'closed' })}
                >
                  {each.state === 'closed' ? 'Open' : 'Close'}
                </Button>
              </Flex>
            ),
          },
        ]}
      />
    </Stack>
  )
}

function State({ account }: { account: Account }) {
  const tone = { open: 'good', closed: 'soft' }[account.state] ?? 'ink'
  return (
    <Text color={tone} fontWeight="bold">
      {account.state}
      {account.must_change && account.state === 'open' && ', one-time password'}
    </Text>
  )
}

function AddAccount({ onAdd }: { onAdd: (body: Schemas['NewAccount']) => Promise<boolean> }) {
  const [name, setName] = useState('')
  const [fullName, setFullName] = useState('')
  const [role, setRole] = useState<Role>('operator')
  async function submit(event: FormEvent) {
    event.preventDefault()
    if (await onAdd({ name, full_name: fullName, role })) {
      setName('')
      setFullName('')
    }
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="4" align="flex-end" wrap="wrap">
        <LabelledInput width="14rem" label="New account" value={name} onChange={setName} />
        <LabelledInput width="14rem" label="Full name" value={fullName} onChange={setFullName} />
        <Choice
          label="Role"
          width="10rem"
          value={role}
          options={ROLES}
          onChange={(chosen) => setRole(chosen as Role)}
        />
        <Button
          type="submit"
          bg="act"
          color="act.ink"
          disabled={name.trim() === '' || fullName.trim() === ''}
        >
          Add account
        </Button>
      </Flex>
    </form>
  )
}
