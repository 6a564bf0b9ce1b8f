import { Box, Flex, NativeSelect, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import type { Value } from '../forms/schema'

interface Props {
  product: string
  kind: string
  onFill: (filled: { settings: Value; limits: Record<string, Value> }) => void
}

/** Fill a step with all that a standard limits of the product: no figure of it is typed by hand. */
export function FillForm({ product, kind, onFill }: Props) {
  const [filled, setFilled] = useState<Schemas['ProposedStepOut']>()
  const [trouble, setTrouble] = useState('')
  const offer = useQuery({
    queryKey: ['offer', product],
    queryFn: () =>
      ask(api.GET('/api/v1/products/{code}/offer', { params: { path: { code: product } } })),
    retry: false,
  })
  const isFilled = offer.data?.kinds.some((each) => each.name === kind && each.is_filled)
  const sets = new Set(
    offer.data?.limits
      .filter((each) => each.kind === kind && each.holds && each.reading !== '')
      .map((each) => each.source.split('/')[0] ?? ''),
  )
  if (!isFilled || sets.size === 0) return null
  async function fill(limitSet: string) {
    setTrouble('')
    setFilled(undefined)
    try {
      const params = { path: { code: product, kind }, query: { limit_set: limitSet } }
      const found = await ask(api.GET('/api/v1/products/{code}/steps/{kind}', { params }))
      setFilled(found)
      onFill(found.step as unknown as Parameters<Props['onFill']>[0])
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  return (
    <Box>
      <Flex gap="3" align="center" wrap="wrap">
        <NativeSelect.Root width="22rem" size="sm">
          <NativeSelect.Field
            aria-label="Fill from a standard"
            bg="plate"
            borderColor="edge"
            value=""
            onChange={(event) => fill(event.target.value)}
          >
            <option value="">Fill from a standard …</option>
            {[...sets].map((code) => (
              <option key={code} value={code}>
                {code}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        {filled && <Text>{filled.points} places and conditions.</Text>}
      </Flex>
      {trouble && (
        <Text color="bad" role="alert">
          {trouble}
        </Text>
      )}
      {filled && filled.left_out.length > 0 && (
        <Box as="details" mt="2">
          <summary>{filled.left_out.length} left out, and why</summary>
          {filled.left_out.map(({ what, reason }) => (
            <Text key={what} color="soft" fontSize="sm">
              {what}: {reason}.
            </Text>
          ))}
        </Box>
      )}
    </Box>
  )
}
