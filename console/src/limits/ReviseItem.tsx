import { Box, Button, Flex, Heading, Stack } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, Refused } from '../api/client'
import { type Finding, SchemaForm } from '../forms/SchemaForm'
import type { Value } from '../forms/schema'
import { useSchema } from '../forms/useSchema'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import type { Item } from './itemText'

/** What is not changed here: it says for whom the item is, and is revised in the set's file. */
const IN_FILE = [
  'id',
  'kind',
  'reading',
  'dimension',
  'fits',
  'lacks',
  'spans',
  'variant',
  'least',
  'least_by',
  'most',
  'minimum_by',
  'maximum_by',
]

interface Props {
  set: Value
  item: Item
  onDone: () => void
}

/** Change one item's figures; stored as a new draft revision of its set. */
export function ReviseItem({ set, item, onDone }: Props) {
  const schema = useSchema('limit-set')
  const queries = useQueryClient()
  const [value, setValue] = useState<Value>({ ...item })
  const [trouble, setTrouble] = useState('')
  const [findings, setFindings] = useState<Finding[]>([])
  if (schema.data === undefined) return <Waiting />
  const defs = schema.data.$defs ?? {}
  const { revision, ...document } = set
  const items = document.items as Item[]

  async function store() {
    try {
      const body = {
        ...document,
        status: 'draft',
        checked: '',
        items: items.map((each) => (each.id === item.id ? value : each)),
      }
      const params = { header: { 'if-match': `"${revision}"` } }
      await ask(api.POST('/api/v1/limit-sets', { params, body }))
      await queries.invalidateQueries({ queryKey: ['limit-sets'] })
      onDone()
    } catch (error) {
      setTrouble((error as Error).message)
      setFindings(error instanceof Refused ? (error.problem?.errors ?? []) : [])
    }
  }

  return (
    <Box bg="plate" borderWidth="1px" borderColor="act" p="5">
      <Stack gap="4">
        <Heading as="h2" size="md">
          Revise {item.id}
        </Heading>
        <SchemaForm
          schema={defs.LimitSetItem ?? {}}
          defs={defs}
          value={value}
          onChange={setValue}
          findings={findings}
          path={`items[${items.indexOf(item)}]`}
          without={IN_FILE}
        />
        {trouble && <Trouble text={trouble} />}
        <Flex gap="3">
          <Button bg="act" color="act.ink" onClick={() => void store()}>
            Store as a draft
          </Button>
          <Button variant="outline" borderColor="edge" color="ink" onClick={onDone}>
            Leave as it is
          </Button>
        </Flex>
      </Stack>
    </Box>
  )
}
