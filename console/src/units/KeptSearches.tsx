import { Button, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMay } from '../session/SessionProvider'
import { type Asked, addressOf } from './search'

const KEY = ['searches']

/** The searches that the site has by name, and a way to keep the present one. */
export function KeptSearches({ asked }: { asked: Asked }) {
  const may = useMay()
  const queries = useQueryClient()
  const [name, setName] = useState<string>()
  const found = useQuery({ queryKey: KEY, queryFn: () => ask(api.GET('/api/v1/searches')) })
  const settle = () => queries.invalidateQueries({ queryKey: KEY })
  const keep = useMutation({
    mutationFn: (called: string) =>
      ask(
        api.PUT('/api/v1/searches/{name}', {
          params: { path: { name: called } },
          body: { search: asked as Schemas['SearchIn']['search'] },
        }),
      ),
    onSuccess: async () => {
      setName(undefined)
      await settle()
    },
  })
  const drop = useMutation({
    mutationFn: (called: string) =>
      ask(api.DELETE('/api/v1/searches/{name}', { params: { path: { name: called } } })),
    onSuccess: settle,
  })
  const kept = found.data ?? []
  const canKeep = may.audit && Object.keys(asked).length > 0
  const trouble = keep.error ?? drop.error

  function submit(event: FormEvent) {
    event.preventDefault()
    if (name?.trim()) keep.mutate(name.trim())
  }

  if (kept.length === 0 && !canKeep) return null
  return (
    <Flex gap="4" wrap="wrap" align="center" as="section" aria-label="Kept searches">
      {kept.length > 0 && <Text color="soft">Kept searches:</Text>}
      {kept.map((each) => (
        <Flex key={each.name} align="center" gap="1">
          <Link to={`/units?${addressOf(each.search)}`} style={LINK}>
            {each.name}
          </Link>
          {may.audit && (
            <Button
              size="xs"
              variant="ghost"
              color="soft"
              minW="6"
              px="1"
              aria-label={`Drop ${each.name}`}
              onClick={() => drop.mutate(each.name)}
            >
              ×
            </Button>
          )}
        </Flex>
      ))}
      {canKeep && name === undefined && (
        <Button
          size="sm"
          variant="outline"
          borderColor="edge"
          color="ink"
          onClick={() => setName('')}
        >
          Keep this search
        </Button>
      )}
      {canKeep && name !== undefined && (
        <form onSubmit={submit}>
          <Flex gap="2" align="end">
            <LabelledInput
              label="Keep this search as"
              hint="Failed this week"
              isFirst
              value={name}
              onChange={setName}
            />
            <Button type="submit" bg="act" color="act.ink" loading={keep.isPending}>
              Keep
            </Button>
            <Button
              variant="outline"
              borderColor="edge"
              color="ink"
              onClick={() => setName(undefined)}
            >
              Leave
            </Button>
          </Flex>
        </form>
      )}
      {trouble && <Trouble text={trouble.message} />}
    </Flex>
  )
}
