import { Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, askAll } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { OpenFile } from './OpenFile'

/** Every sequence at its newest revision; an engineer may begin a new one. */
export default function SequencesPage() {
  const may = useMay()
  const found = useQuery({
    queryKey: ['sequences'],
    queryFn: () => askAll(api.GET('/api/v1/sequences')),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Sequences
      </Heading>
      {may.define && (
        <Flex gap="8" align="flex-end" wrap="wrap">
          <NewSequence taken={found.data.map((each) => each.code)} />
          <OpenFile stored={found.data} />
        </Flex>
      )}
      {found.data.length === 0 ? (
        <Text>No sequence yet. Give the first one a code and a product above.</Text>
      ) : (
        <DataTable
          label="Sequences"
          rows={found.data}
          keyOf={(each) => each.code}
          columns={[
            {
              head: 'Code',
              cell: (each) => (
                <Link to={`/sequences/${each.code}`} style={LINK}>
                  {each.code}
                </Link>
              ),
            },
            { head: 'Revision', isNumber: true, cell: (each) => each.revision },
            {
              head: 'Status',
              cell: (each) => (
                <Text
                  as="span"
                  fontWeight="bold"
                  color={each.status === 'released' ? 'good' : 'unsure'}
                >
                  {each.status}
                </Text>
              ),
            },
            { head: 'Title', cell: (each) => each.title },
            { head: 'Product', cell: (each) => each.product },
            { head: 'Steps', isNumber: true, cell: (each) => each.step_count },
          ]}
        />
      )}
    </Stack>
  )
}

function NewSequence({ taken }: { taken: string[] }) {
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })
  const [code, setCode] = useState('')
  const [chosen, setChosen] = useState('')
  const go = useNavigate()
  const codes = (products.data ?? []).map((each) => String(each.code))
  const product = chosen || codes[0] || ''
  const isTaken = taken.includes(code)
  function submit(event: FormEvent) {
    event.preventDefault()
    if (code && product && !isTaken) go(`/sequences/${code}?new=${product}`)
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="4" align="flex-end" wrap="wrap">
        <LabelledInput
          label="New sequence"
          hint="Its code"
          value={code}
          onChange={(text) => setCode(text.trim())}
        />
        <Choice
          label="For product"
          width="14rem"
          value={product}
          options={codes}
          onChange={setChosen}
        />
        <KeyButton
          keyName="Enter"
          type="submit"
          size="md"
          bg="act"
          color="act.ink"
          disabled={code === '' || isTaken || product === ''}
        >
          Write it
        </KeyButton>
        {isTaken && <Text color="bad">There is a sequence {code} already.</Text>}
      </Flex>
    </form>
  )
}
