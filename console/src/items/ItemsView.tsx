import { Button, Flex, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { useMay } from '../session/SessionProvider'
import { Watches } from './Watches'

type Item = Schemas['ItemOut']
type State = '' | 'open' | 'ended'

interface Props {
  state: State
  /** How a moment is written for people. */
  moment: (at: string) => string
  onState: (state: State) => void
}

/** What is to be looked into, by whom, and how it ended. */
export function ItemsView({ state, moment, onState }: Props) {
  const may = useMay()
  const [ending, setEnding] = useState<Item>()
  const found = useQuery({
    queryKey: ['items', state],
    queryFn: () => ask(api.GET('/api/v1/items', { params: { query: { state } } })),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return (
    <Stack gap="4">
      <Flex gap="4" align="end" wrap="wrap" justify="space-between">
        <Choice
          label="Items"
          width="10rem"
          value={state}
          options={[
            ['open', 'open'],
            ['ended', 'ended'],
            ['', 'all'],
          ]}
          onChange={(next) => onState(next as State)}
        />
        <Watches />
      </Flex>
      {ending && <EndForm item={ending} onDone={() => setEnding(undefined)} />}
      {found.data.length === 0 ? (
        <Text>
          {state === 'ended' ? 'No item has ended yet.' : 'Nothing is to be looked into.'}
        </Text>
      ) : (
        <DataTable
          label="Items"
          rows={found.data}
          keyOf={({ id }) => id}
          columns={[
            {
              head: 'About',
              cell: (item) =>
                item.address ? (
                  <Link to={item.address} style={LINK}>
                    {item.about}
                  </Link>
                ) : (
                  item.about
                ),
            },
            { head: 'What', cell: ({ text }) => text },
            { head: 'Owner', cell: ({ owner }) => owner },
            { head: 'Raised', isWhole: true, cell: (item) => moment(item.raised_at) },
            {
              head: 'End',
              cell: (item) =>
                item.state === 'open' ? (
                  may.audit && (
                    <Button
                      size="sm"
                      variant="outline"
                      borderColor="edge"
                      color="ink"
                      aria-label={`End ${item.about}: ${item.text}`}
                      onClick={() => setEnding(item)}
                    >
                      End
                    </Button>
                  )
                ) : (
                  <>
                    {words(item.state)} by {item.ended_by}, {moment(item.ended_at)}
                    <Text color="soft">{item.note}</Text>
                  </>
                ),
            },
          ]}
        />
      )}
    </Stack>
  )
}

/** How an item ends: accepted as it is, or acted on; the note says why, or what was done. */
function EndForm({ item, onDone }: { item: Item; onDone: () => void }) {
  const queries = useQueryClient()
  const [how, setHow] = useState<'acted_on' | 'accepted'>('acted_on')
  const [note, setNote] = useState('')
  const end = useMutation({
    mutationFn: () =>
      ask(
        api.POST('/api/v1/items/{item_id}/end', {
          params: { path: { item_id: item.id } },
          body: { how, note },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['items'] })
      onDone()
    },
  })
  function submit(event: FormEvent) {
    event.preventDefault()
    if (note.trim()) end.mutate()
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="3" align="end" wrap="wrap" bg="plate" borderWidth="1px" borderColor="act" p="4">
        <Text w="100%">
          {item.about}: {item.text}
        </Text>
        <Choice
          label="It was"
          width="10rem"
          value={how}
          options={[
            ['acted_on', 'acted on'],
            ['accepted', 'accepted'],
          ]}
          onChange={(next) => setHow(next as 'acted_on' | 'accepted')}
        />
        <LabelledInput
          label={how === 'acted_on' ? 'What was done' : 'Why it may be so'}
          width="26rem"
          isRequired
          isFirst
          value={note}
          onChange={setNote}
        />
        <Button type="submit" bg="act" color="act.ink" loading={end.isPending}>
          End it
        </Button>
        <Button variant="outline" borderColor="edge" color="ink" onClick={onDone}>
          Leave
        </Button>
        {end.error && <Trouble text={end.error.message} />}
      </Flex>
    </form>
  )
}
