import { Box } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type Attempt, api, ask } from '../api/client'
import { cableOf } from './cable'
import { WiringView } from './WiringView'

/** The wiring of a unit whose product is a cable, with what came of its nets; else nothing. */
export default function WiringSection({
  product,
  attempts,
}: {
  product: string
  attempts: Attempt[]
}) {
  const found = useQuery({
    queryKey: ['products', product],
    queryFn: () => ask(api.GET('/api/v1/products/{code}', { params: { path: { code: product } } })),
    staleTime: Number.POSITIVE_INFINITY,
  })
  const cable = found.data === undefined ? null : cableOf(found.data)
  if (cable === null) return null
  return (
    <Box mb="4">
      <WiringView cable={cable} attempts={attempts} title={`Wiring of ${product}`} />
    </Box>
  )
}
