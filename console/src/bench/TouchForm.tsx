import { Button, Flex } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, askAll, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { LabelledInput } from '../parts/LabelledInput'
import { cableOf } from '../wiring/cable'

export type TouchAsked = Pick<
  Schemas['NewUpkeep'],
  'kind' | 'fixture' | 'nests' | 'product' | 'contacts' | 'order'
>

interface Props {
  fixture: Schemas['FixtureOut']
  isBusy: boolean
  onBegin: (asked: TouchAsked) => void
}

/** What is done with the probe: contacts named or led through, or the columns measured. */
export function TouchForm({ fixture, isBusy, onBegin }: Props) {
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })
  const [kind, setKind] = useState<'touch' | 'map'>('touch')
  const [nest, setNest] = useState(Object.keys(fixture.nests)[0] ?? '')
  const [product, setProduct] = useState('')
  const [listed, setListed] = useState('')
  const [order, setOrder] = useState<'set' | 'any'>('set')
  const cables = (products.data ?? []).filter((each) => cableOf(each) !== null)

  function submit(event: FormEvent) {
    event.preventDefault()
    const contacts = kind === 'map' ? [] : listed.split(/[\s,;]+/).filter(Boolean)
    onBegin({ kind, fixture: fixture.code, nests: [nest], product, contacts, order })
  }

  return (
    <form onSubmit={submit} aria-label={`Probe in ${fixture.code}`}>
      <Flex gap="4" align="flex-end" wrap="wrap">
        <Choice
          label="What"
          value={kind}
          onChange={(text) => setKind(text === 'map' ? 'map' : 'touch')}
          options={[
            ['touch', 'name contacts'],
            ['map', 'measure the columns'],
          ]}
        />
        <Choice label="Nest" value={nest} onChange={setNest} options={Object.keys(fixture.nests)} />
        <Choice
          label={kind === 'map' ? 'By' : 'Nets of'}
          value={product}
          onChange={setProduct}
          options={[
            ['', kind === 'map' ? 'the probe' : 'no product'],
            ...cables.map((each): string => String(each.code)),
          ]}
        />
        {kind === 'touch' && (
          <>
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
          </>
        )}
        <Button type="submit" bg="act" color="act.ink" disabled={isBusy}>
          Begin
        </Button>
      </Flex>
    </form>
  )
}
