import { Button, Flex } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, askAll, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { LabelledInput } from '../parts/LabelledInput'
import { cableOf } from '../wiring/cable'

export type TouchAsked = Pick<
  Schemas['NewUpkeep'],
  'fixture' | 'nests' | 'product' | 'contacts' | 'order'
>

interface Props {
  fixture: Schemas['FixtureOut']
  isBusy: boolean
  onBegin: (asked: TouchAsked) => void
}

/** Which nest the probe is used at, whose nets name what is touched, and a list to be led through. */
export function TouchForm({ fixture, isBusy, onBegin }: Props) {
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })
  const [nest, setNest] = useState(Object.keys(fixture.nests)[0] ?? '')
  const [product, setProduct] = useState('')
  const [listed, setListed] = useState('')
  const [order, setOrder] = useState<'set' | 'any'>('set')
  const cables = (products.data ?? []).filter((each) => cableOf(each) !== null)

  function submit(event: FormEvent) {
    event.preventDefault()
    const contacts = listed.split(/[\s,;]+/).filter(Boolean)
    onBegin({ fixture: fixture.code, nests: [nest], product, contacts, order })
  }

  return (
    <form onSubmit={submit} aria-label={`Touch contacts in ${fixture.code}`}>
      <Flex gap="4" align="flex-end" wrap="wrap">
        <Choice label="Nest" value={nest} onChange={setNest} options={Object.keys(fixture.nests)} />
        <Choice
          label="Nets of"
          value={product}
          onChange={setProduct}
          options={[['', 'no product'], ...cables.map((each): string => String(each.code))]}
        />
        <LabelledInput
          label="Contacts to be led through"
          hint="none: name whatever is touched"
          value={listed}
          onChange={setListed}
          width="20rem"
        />
        <Choice
          label="Order"
          value={order}
          onChange={(text) => setOrder(text === 'any' ? 'any' : 'set')}
          options={[
            ['set', 'as listed'],
            ['any', 'any'],
          ]}
        />
        <Button type="submit" bg="act" color="act.ink" disabled={isBusy}>
          Begin
        </Button>
      </Flex>
    </form>
  )
}
