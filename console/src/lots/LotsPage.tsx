import { Box, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, askAll } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { YieldText } from './YieldText'

/** Every lot with its progress; whoever may run tests may open one. */
export default function LotsPage() {
  const may = useMay()
  const lots = useQuery({ queryKey: ['lots'], queryFn: () => askAll(api.GET('/api/v1/lots')) })
  if (lots.isError) return <Trouble text={lots.error.message} />
  if (lots.data === undefined) return <Waiting />
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Lots
      </Heading>
      {may.run && <OpenLot />}
      {lots.data.length === 0 ? (
        <Text>No lot yet. Open one above, then give its code when you load a fixture.</Text>
      ) : (
        <DataTable
          label="Lots"
          rows={lots.data}
          keyOf={(lot) => lot.code}
          columns={[
            {
              head: 'Lot',
              cell: (lot) => (
                <Link to={`/lots/${lot.code}`} style={LINK}>
                  {lot.code}
                </Link>
              ),
            },
            { head: 'Product', cell: (lot) => lot.product },
            { head: 'Order', cell: (lot) => lot.order_number },
            { head: 'State', cell: (lot) => lot.state },
            { head: 'Tested', isNumber: true, cell: (lot) => `${lot.tested} of ${lot.expected}` },
            {
              head: 'First pass',
              isNumber: true,
              cell: (lot) => <YieldText part={lot.first_pass_yield} />,
            },
            {
              head: 'Final',
              isNumber: true,
              cell: (lot) => <YieldText part={lot.final_yield} />,
            },
          ]}
        />
      )}
    </Stack>
  )
}

function OpenLot() {
  const queries = useQueryClient()
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })
  const [code, setCode] = useState('')
  const [serials, setSerials] = useState('')
  const [quantity, setQuantity] = useState('')
  const [order, setOrder] = useState('')
  const [chosen, setChosen] = useState('')
  const [trouble, setTrouble] = useState('')
  const codes = (products.data ?? []).map((each) => String(each.code))
  const product = chosen || codes[0] || ''

  async function submit(event: FormEvent) {
    event.preventDefault()
    try {
      const body = {
        code,
        product,
        serials,
        quantity: quantity === '' ? null : Number(quantity),
        order_number: order,
      }
      await ask(api.POST('/api/v1/lots', { body }))
      setCode('')
      setSerials('')
      setQuantity('')
      setOrder('')
      setTrouble('')
      await queries.invalidateQueries({ queryKey: ['lots'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <form onSubmit={submit}>
      <Flex gap="4" wrap="wrap" align="flex-end">
        <LabelledInput
          size="lg"
          label="New lot"
          value={code}
          onChange={setCode}
          hint="L-2611-C"
          width="10rem"
        />
        <Choice
          label="Product"
          size="lg"
          width="12rem"
          value={product}
          options={codes}
          onChange={setChosen}
        />
        <LabelledInput
          size="lg"
          label="Serials, first..last or pattern"
          value={serials}
          onChange={setSerials}
          hint="DC40-26-0301..DC40-26-0340"
          width="20rem"
        />
        {serials.includes('#') && (
          <LabelledInput
            size="lg"
            label="Quantity"
            value={quantity}
            onChange={setQuantity}
            hint="40"
            width="6rem"
          />
        )}
        <LabelledInput
          size="lg"
          label="Order number"
          value={order}
          onChange={setOrder}
          width="10rem"
        />
        <KeyButton
          keyName="Enter"
          type="submit"
          bg="act"
          color="act.ink"
          disabled={code === '' || serials === ''}
        >
          Open lot
        </KeyButton>
      </Flex>
      {trouble && (
        <Box mt="4">
          <Trouble text={trouble} />
        </Box>
      )}
    </form>
  )
}
