import { Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, askAll } from '../api/client'
import { tidy } from '../forms/SchemaForm'
import { DataTable } from '../parts/DataTable'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'

/** Every product; an engineer may begin a new one. */
export default function ProductsPage() {
  const may = useMay()
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })
  if (products.isError) return <Trouble text={products.error.message} />
  if (products.data === undefined) return <Waiting />
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Products
      </Heading>
      {may.define && <NewProduct taken={products.data.map((each) => String(each.code))} />}
      <Text>
        A cable or a transformer need not be typed:{' '}
        <Link to="/captures" style={LINK}>
          capture it from a good unit
        </Link>
        .
      </Text>
      {products.data.length === 0 ? (
        <Text>No product yet. Give the first one a code above.</Text>
      ) : (
        <DataTable
          label="Products"
          rows={products.data}
          keyOf={(each) => String(each.code)}
          columns={[
            {
              head: 'Code',
              cell: (each) => (
                <Link to={`/products/${each.code}`} style={LINK}>
                  {String(each.code)}
                </Link>
              ),
            },
            { head: 'Revision', isNumber: true, cell: (each) => String(each.revision) },
            { head: 'Title', cell: (each) => String(each.title) },
            { head: 'Family', cell: (each) => tidy(String(each.family)) },
            { head: 'Class', cell: (each) => String(each.protection_class ?? '') },
            { head: 'Rated', cell: (each) => String(each.supply_voltage ?? '') },
          ]}
        />
      )}
    </Stack>
  )
}

function NewProduct({ taken }: { taken: string[] }) {
  const [code, setCode] = useState('')
  const go = useNavigate()
  const isTaken = taken.includes(code)
  function submit(event: FormEvent) {
    event.preventDefault()
    if (code && !isTaken) go(`/products/${code}?new=1`)
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="4" align="flex-end">
        <LabelledInput
          label="New product"
          hint="Its code"
          value={code}
          onChange={(text) => setCode(text.trim())}
        />
        <KeyButton
          keyName="Enter"
          type="submit"
          size="md"
          bg="act"
          color="act.ink"
          disabled={code === '' || isTaken}
        >
          Describe it
        </KeyButton>
        {isTaken && <Text color="bad">There is a product {code} already.</Text>}
      </Flex>
    </form>
  )
}
