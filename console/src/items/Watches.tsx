import { Button, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMay } from '../session/SessionProvider'

const KEY = ['watches']

/** The trends that are looked at by themselves. */
export function Watches() {
  const may = useMay()
  const queries = useQueryClient()
  const found = useQuery({ queryKey: KEY, queryFn: () => ask(api.GET('/api/v1/watches')) })
  const drop = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE('/api/v1/watches/{name}', { params: { path: { name } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: KEY }),
  })
  const watched = found.data ?? []
  if (watched.length === 0) return null
  return (
    <Flex gap="4" wrap="wrap" align="center" as="section" aria-label="Watched trends">
      <Text color="soft">Watched:</Text>
      {watched.map((each) => (
        <Flex key={each.name} align="center" gap="1">
          <Link to={each.address} style={LINK}>
            {each.name}
          </Link>
          {may.audit && (
            <Button
              size="xs"
              variant="ghost"
              color="soft"
              minW="6"
              px="1"
              aria-label={`Watch ${each.name} no longer`}
              onClick={() => drop.mutate(each.name)}
            >
              ×
            </Button>
          )}
        </Flex>
      ))}
      {drop.error && <Trouble text={drop.error.message} />}
    </Flex>
  )
}

/** Have the trend that is shown looked at by itself, under a name. */
export function WatchForm({ trend }: { trend: Schemas['WatchIn']['trend'] }) {
  const may = useMay()
  const queries = useQueryClient()
  const [name, setName] = useState<string>()
  const [told, setTold] = useState('')
  const keep = useMutation({
    mutationFn: (called: string) =>
      ask(
        api.PUT('/api/v1/watches/{name}', {
          params: { path: { name: called } },
          body: { trend },
        }),
      ),
    onSuccess: async (kept) => {
      setName(undefined)
      setTold(`Watched as “${kept.name}”.`)
      await queries.invalidateQueries({ queryKey: KEY })
      await queries.invalidateQueries({ queryKey: ['items'] })
    },
  })
  function submit(event: FormEvent) {
    event.preventDefault()
    if (name?.trim()) keep.mutate(name.trim())
  }
  if (!may.audit) return null
  if (name === undefined) {
    return (
      <Flex gap="3" align="center">
        <Button
          size="sm"
          variant="outline"
          borderColor="edge"
          color="ink"
          onClick={() => {
            setTold('')
            setName('')
          }}
        >
          Watch this
        </Button>
        <Text aria-live="polite">{told}</Text>
      </Flex>
    )
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="2" align="end" wrap="wrap">
        <LabelledInput
          label="Watch this as"
          hint="Insulation of the DC-40"
          isFirst
          value={name}
          onChange={setName}
        />
        <Button type="submit" bg="act" color="act.ink" loading={keep.isPending}>
          Watch
        </Button>
        <Button variant="outline" borderColor="edge" color="ink" onClick={() => setName(undefined)}>
          Leave
        </Button>
        {keep.error && <Trouble text={keep.error.message} />}
      </Flex>
    </form>
  )
}
