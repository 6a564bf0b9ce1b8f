import { Box, Button, Flex, Heading, Input, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { tidy } from '../forms/SchemaForm'
import { DataTable } from '../parts/DataTable'
import { Differences } from '../parts/Differences'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { figureOf, type Item, testOf } from './itemText'
import { ReviseItem } from './ReviseItem'

/** One limit set: its items, who checked them, its revisions and what differs between them. */
export default function LimitSetPage() {
  const { code = '' } = useParams()
  const [search, setSearch] = useSearchParams()
  const may = useMay()
  const path = { code }
  const set = useQuery({
    queryKey: ['limit-sets', code],
    queryFn: () => ask(api.GET('/api/v1/limit-sets/{code}', { params: { path } })),
  })
  const revisions = useQuery({
    queryKey: ['limit-sets', code, 'revisions'],
    queryFn: () => ask(api.GET('/api/v1/limit-sets/{code}/revisions', { params: { path } })),
  })
  if (set.isError) return <Trouble text={set.error.message} />
  if (set.data === undefined) return <Waiting />
  const items = set.data.items as Item[]
  const compared = Number(search.get('compare') ?? 0)
  const revised = items.find((item) => item.id === search.get('revise'))
  const newest = Number(set.data.revision)
  return (
    <Stack gap="5">
      <Box>
        <Heading as="h1" size="2xl">
          {String(set.data.standard)}
          {set.data.edition ? `:${set.data.edition}` : ''}
        </Heading>
        <Text color="soft">
          {String(set.data.title)}. {code}, revision {newest}, {String(set.data.status)};{' '}
          {String(set.data.checked) || 'nobody has compared it with a bought copy yet'}.
        </Text>
      </Box>
      {may.define && set.data.status === 'draft' && <ReleaseForm code={code} />}
      <DataTable
        label={`Items of ${code}`}
        rows={items}
        keyOf={(item) => item.id}
        columns={[
          { head: 'Item', cell: (item) => <span id={item.id}>{item.id}</span> },
          { head: 'Clause', cell: (item) => item.clause },
          { head: 'Step', cell: (item) => tidy(item.kind ?? '') },
          { head: 'Limit', isNumber: true, cell: figureOf },
          { head: 'Test', cell: testOf },
          { head: 'Applies to', cell: (item) => item.applies ?? '' },
          ...(may.define
            ? [
                {
                  head: 'Change',
                  cell: (item: Item) => (
                    <Button
                      size="xs"
                      variant="outline"
                      borderColor="edge"
                      color="ink"
                      aria-label={`Revise ${item.id}`}
                      onClick={() => setSearch({ revise: item.id })}
                    >
                      Revise
                    </Button>
                  ),
                },
              ]
            : []),
        ]}
      />
      {revised !== undefined && (
        <ReviseItem
          key={`${revised.id} ${newest}`}
          set={set.data}
          item={revised}
          onDone={() => setSearch({})}
        />
      )}
      <Heading as="h2" size="lg">
        Revisions
      </Heading>
      <Revisions
        found={revisions.data ?? []}
        code={code}
        newest={newest}
        onCompare={(revision) => setSearch({ compare: String(revision) })}
      />
      {compared > 0 && <Differences kind="limit-sets" code={code} old={compared} newer={newest} />}
    </Stack>
  )
}

interface RevisionsProps {
  found: Schemas['RevisionOut'][]
  code: string
  newest: number
  onCompare: (revision: number) => void
}

function Revisions({ found, code, newest, onCompare }: RevisionsProps) {
  const moment = useMoment()
  return (
    <DataTable
      label="Revisions"
      rows={found}
      keyOf={(each) => String(each.revision)}
      isNarrow
      columns={[
        { head: 'Revision', isNumber: true, cell: (each) => each.revision },
        {
          head: 'Rests on it',
          cell: (each) => (
            <Link
              to={`/units?limit_set=${code}&limit_revision=${each.revision}&document=certificate`}
              style={LINK}
            >
              Certificates
            </Link>
          ),
        },
        { head: 'Status', cell: (each) => each.status },
        { head: 'Stored', cell: (each) => moment(each.created_at) },
        { head: 'By', cell: (each) => each.created_by },
        {
          head: 'Compare',
          cell: (each) =>
            each.revision === newest ? (
              'newest'
            ) : (
              <Button
                size="xs"
                variant="outline"
                borderColor="edge"
                color="ink"
                onClick={() => onCompare(each.revision)}
              >
                with the newest
              </Button>
            ),
        },
      ]}
    />
  )
}

function ReleaseForm({ code }: { code: string }) {
  const queries = useQueryClient()
  const [checked, setChecked] = useState('')
  const [trouble, setTrouble] = useState('')
  async function submit(event: FormEvent) {
    event.preventDefault()
    try {
      const params = { path: { code } }
      await ask(api.POST('/api/v1/limit-sets/{code}/release', { params, body: { checked } }))
      await queries.invalidateQueries({ queryKey: ['limit-sets'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="4" align="flex-end" wrap="wrap" bg="unsure.wash" p="4">
        <Stack gap="1" flex="1" minW="20rem">
          <label htmlFor="checked">Who compared its figures with what, and when</label>
          <Input
            id="checked"
            bg="plate"
            borderColor="edge"
            autoComplete="off"
            value={checked}
            placeholder="M. Rowe, 2026-11-20, own copy no. 4411"
            _placeholder={{ color: 'soft' }}
            onChange={(event) => setChecked(event.target.value)}
          />
        </Stack>
        <Button type="submit" bg="act" color="act.ink" disabled={checked.trim().length < 3}>
          Release
        </Button>
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </form>
  )
}
