import { Flex } from '@chakra-ui/react'
import { type KeyboardEvent, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'

interface Props {
  number: string
  /** The codes of the products that it may be. */
  products: string[]
  onDescribed: (asset: Schemas['AssetOut']) => void
}

/**
 * A device that nobody has described yet: what it is, and where it is used. No form of its own: it
 * stands within that of the load, which Enter in here is not to hand in.
 */
export default function DescribeForm({ number, products, onDescribed }: Props) {
  const [product, setProduct] = useState(products[0] ?? '')
  const [serial, setSerial] = useState('')
  const [place, setPlace] = useState('')
  const [trouble, setTrouble] = useState('')

  async function describe() {
    try {
      const params = { path: { number } }
      const body = { product, serial: serial.trim(), place: place.trim() }
      onDescribed(await ask(api.PUT('/api/v1/assets/{number}', { params, body })))
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  function pressed(event: KeyboardEvent) {
    if (event.key !== 'Enter' || !(event.target instanceof HTMLInputElement)) return
    event.preventDefault()
    if (serial.trim() !== '') void describe()
  }
  return (
    <Flex
      role="group"
      onKeyDown={pressed}
      gap="3"
      align="flex-end"
      wrap="wrap"
      aria-label={`Describe ${number}`}
    >
      <Choice
        label="Product"
        width="9rem"
        value={product}
        options={products}
        onChange={setProduct}
      />
      <LabelledInput
        label="Serial on its plate"
        width="12rem"
        value={serial}
        isFirst
        onChange={setSerial}
      />
      <LabelledInput label="Place" width="16rem" value={place} onChange={setPlace} />
      <KeyButton
        keyName="Enter"
        type="button"
        variant="outline"
        disabled={serial.trim() === ''}
        onClick={() => void describe()}
      >
        Describe {number}
      </KeyButton>
      {trouble && <Trouble text={trouble} />}
    </Flex>
  )
}
