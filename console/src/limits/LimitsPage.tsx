import { Flex, Heading, Stack } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { api, askAll } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { OfferTable } from '../products/OfferTable'

/** The limit sets of standards; with a product, what holds for it. */
export default function LimitsPage() {
  const [search, setSearch] = useSearchParams()
  const product = search.get('product') ?? ''
  const sets = useQuery({
    queryKey: ['limit-sets'],
    queryFn: () => askAll(api.GET('/api/v1/limit-sets')),
  })
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })
  if (sets.isError) return <Trouble text={sets.error.message} />
  if (sets.data === undefined) return <Waiting />
  return (
    <Stack gap="5">
      <Flex gap="6" align="flex-end" wrap="wrap">
        <Heading as="h1" size="2xl">
          Limits
        </Heading>
        <Choice
          label="What holds for"
          width="16rem"
          value={product}
          options={[
            ['', 'every product: show the sets'],
            ...(products.data ?? []).map((each) => String(each.code)),
          ]}
          onChange={(chosen) => setSearch(chosen ? { product: chosen } : {})}
        />
      </Flex>
      {product ? (
        <OfferTable code={product} />
      ) : (
        <DataTable
          label="Limit sets"
          rows={sets.data}
          keyOf={(each) => String(each.code)}
          columns={[
            {
              head: 'Standard',
              cell: (each) => (
                <Link to={`/limits/${each.code}`} style={LINK}>
                  {String(each.standard)}
                  {each.edition ? `:${each.edition}` : ''}
                </Link>
              ),
            },
            { head: 'For', cell: (each) => String(each.title) },
            { head: 'Code', cell: (each) => String(each.code) },
            { head: 'Revision', isNumber: true, cell: (each) => String(each.revision) },
            { head: 'Status', cell: (each) => String(each.status) },
            {
              head: 'Compared with a bought copy',
              cell: (each) => String(each.checked) || 'nobody yet',
            },
          ]}
        />
      )}
    </Stack>
  )
}
