import { Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type ChangeEvent, useId, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'

type Bench = Schemas['CarriedBench']
interface State {
  bench: string
  link: string
  receipt: { name: string; told_at: string } | null
}

const MANY = 5

/** Records of benches out of reach: what came in, what goes out, and the receipts between. */
export function Carrying() {
  const queries = useQueryClient()
  const carried = useQuery({
    queryKey: ['carried'],
    queryFn: () => ask(api.GET('/api/v1/carried')),
  })
  const state = useQuery({ queryKey: ['carry'], queryFn: () => ask(api.GET('/api/v1/carry')) })
  const trouble = carried.error ?? state.error
  return (
    <Stack gap="3" as="section" aria-label="Carrying">
      <Heading as="h2" size="lg">
        Carrying
      </Heading>
      {trouble && <Trouble text={trouble.message} />}
      {carried.data?.length === 0 && (
        <Text color="soft">No bench out of reach has carried its records in here.</Text>
      )}
      {carried.data && carried.data.length > 0 && <Benches benches={carried.data} />}
      <TakeIn onDone={() => queries.invalidateQueries()} />
      {state.data && <TakeOut state={state.data} />}
    </Stack>
  )
}

function Benches({ benches }: { benches: Bench[] }) {
  const moment = useMoment()
  return (
    <DataTable
      label="Benches whose records were carried in"
      rows={benches}
      keyOf={(each) => each.site}
      columns={[
        { head: 'Bench', cell: (each) => <b>{each.bench || each.site}</b> },
        { head: 'Of', cell: (each) => each.problem || each.name },
        { head: 'Units', cell: (each) => each.units, isNumber: true },
        { head: 'Documents', cell: (each) => each.documents, isNumber: true },
        { head: 'Files', cell: (each) => each.files.length, isNumber: true },
        {
          head: 'Carried out',
          isWhole: true,
          cell: (each) => (each.files[0] ? moment(each.files[0].made_at) : ''),
        },
        {
          head: 'Serials tested elsewhere as well',
          cell: (each) => someOf(each.same_serials) || 'none',
        },
      ]}
    />
  )
}

function someOf(serials: string[]): string {
  const more = serials.length - MANY
  return serials.slice(0, MANY).join(', ') + (more > 0 ? ` and ${more} more` : '')
}

function TakeIn({ onDone }: { onDone: () => void }) {
  const id = useId()
  const [key, setKey] = useState('')
  const [file, setFile] = useState<File>()
  const take = useMutation({
    mutationFn: async (chosen: File) =>
      ask(
        api.POST('/api/v1/carried', {
          params: { query: { key: key.trim() } },
          body: chosen as never,
          bodySerializer: (body) => body as never,
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      ),
    onSuccess: onDone,
  })
  function choose(event: ChangeEvent<HTMLInputElement>) {
    const chosen = event.target.files?.[0]
    event.target.value = ''
    setFile(chosen)
    if (chosen) take.mutate(chosen)
  }
  const done = take.data
  return (
    <Stack gap="2">
      <Flex gap="4" align="end" wrap="wrap">
        <LabelledInput
          label="Key of the bench"
          hint="for its first file: compare it with Keys there"
          width="26rem"
          value={key}
          onChange={setKey}
        />
        <label htmlFor={id}>
          Take in a file: <input id={id} type="file" accept=".carried,.gz" onChange={choose} />
        </label>
        {take.isPending && <Text color="soft">{file?.name} is being taken in.</Text>}
      </Flex>
      {take.isError && <Trouble text={take.error.message} />}
      {done && (
        <Stack gap="1" role="status">
          <Text fontWeight="bold">
            {done.records === 0
              ? `Nothing new: everything of ${done.bench} in it is here already.`
              : `${done.bench} of ${done.name}: ${done.units} units in runs, ${done.documents} documents, ${done.records} records in all.`}
          </Text>
          {done.notes.map((each) => (
            <Text key={each}>{each}</Text>
          ))}
          <Button
            alignSelf="start"
            variant="outline"
            borderColor="edge"
            color="ink"
            onClick={() =>
              save(new Blob([JSON.stringify(done.receipt, null, 1)]), `${done.bench}.receipt.json`)
            }
          >
            Receipt for the bench
          </Button>
        </Stack>
      )}
    </Stack>
  )
}

function TakeOut({ state }: { state: State }) {
  const moment = useMoment()
  const queries = useQueryClient()
  const id = useId()
  const out = useMutation({
    mutationFn: async () => {
      const answer = await api.POST('/api/v1/carry', {
        body: { everything: false, papers: true },
        parseAs: 'blob',
      })
      if (!answer.response.ok) throw new Error(await reason(answer.error))
      save(answer.data as unknown as Blob, nameIn(answer.response) || `${state.bench}.carried`)
    },
  })
  const receive = useMutation({
    mutationFn: async (file: File) =>
      ask(api.POST('/api/v1/carry/receipts', { body: JSON.parse(await file.text()) })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['carry'] }),
  })
  function receipt(event: ChangeEvent<HTMLInputElement>) {
    const chosen = event.target.files?.[0]
    event.target.value = ''
    if (chosen) receive.mutate(chosen)
  }
  const told = state.receipt
    ? `${state.receipt.name} has this bench’s records up to ${moment(state.receipt.told_at)}.`
    : 'Nobody has said to have this bench’s records.'
  return (
    <Stack gap="2">
      <Text>
        {told} {state.link && `They go to ${state.link} by themselves.`}
      </Text>
      <Flex gap="4" align="center" wrap="wrap">
        <Button
          variant="outline"
          borderColor="edge"
          color="ink"
          loading={out.isPending}
          onClick={() => out.mutate()}
        >
          Carry out what was not carried yet
        </Button>
        <label htmlFor={id}>
          Receipt that came back: <input id={id} type="file" accept=".json" onChange={receipt} />
        </label>
      </Flex>
      {out.isError && <Trouble text={out.error.message} />}
      {receive.isError && <Trouble text={receive.error.message} />}
    </Stack>
  )
}

async function reason(error: unknown): Promise<string> {
  const told = error instanceof Blob ? JSON.parse(await error.text()) : error
  return (told as { detail?: string } | undefined)?.detail ?? 'The file could not be made.'
}

function nameIn(response: Response): string {
  return /filename="([^"]+)"/.exec(response.headers.get('content-disposition') ?? '')?.[1] ?? ''
}

function save(content: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
