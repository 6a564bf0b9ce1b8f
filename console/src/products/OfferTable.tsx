import { Box, Checkbox, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'

type Limit = Schemas['OfferedLimitOut']

/** Which limits of which standards hold for a product, and why; which kinds are not on offer. */
export function OfferTable({ code }: { code: string }) {
  const [all, setAll] = useState(false)
  const offer = useQuery({
    queryKey: ['offer', code],
    queryFn: () => ask(api.GET('/api/v1/products/{code}/offer', { params: { path: { code } } })),
  })
  if (offer.isError) return <Trouble text={offer.error.message} />
  if (offer.data === undefined) return <Waiting />
  const absent = offer.data.kinds.filter((kind) => kind.why_not !== '')
  const limits = offer.data.limits.filter((limit) => all || limit.holds)
  return (
    <Stack gap="3">
      <Flex gap="5" align="center" wrap="wrap">
        <Heading as="h2" size="lg">
          What standards ask of {code}
        </Heading>
        <Checkbox.Root checked={all} onCheckedChange={({ checked }) => setAll(checked === true)}>
          <Checkbox.HiddenInput />
          <Checkbox.Control borderColor="edge" />
          <Checkbox.Label>with what does not hold, and why</Checkbox.Label>
        </Checkbox.Root>
      </Flex>
      <Text color="soft">
        {absent.length === 0
          ? 'Every kind of step is on offer.'
          : `Not on offer: ${absent.map((kind) => `${kind.title} (${kind.why_not})`).join('; ')}.`}
      </Text>
      <DataTable
        label={`Limits for ${code}`}
        rows={limits}
        keyOf={(limit) => limit.source}
        columns={[
          { head: 'Standard', cell: (limit) => <Source limit={limit} /> },
          { head: 'Step', cell: (limit) => limit.kind.replaceAll('_', ' ') },
          {
            head: 'Limit',
            isNumber: true,
            cell: (limit) => <Box whiteSpace="nowrap">{limit.figure}</Box>,
          },
          {
            head: 'Test',
            cell: (limit) => [limit.variant, limit.demands].filter((each) => each).join('; '),
          },
          {
            head: 'Because',
            cell: (limit) => (
              <Text color={limit.holds ? 'ink' : 'bad'} fontSize="sm">
                {limit.holds ? '' : 'does not hold: '}
                {limit.reasons.join('; ') || 'for every product'}
              </Text>
            ),
          },
        ]}
      />
    </Stack>
  )
}

function Source({ limit }: { limit: Limit }) {
  const [set, item] = limit.source.split('/')
  return (
    <Box>
      {limit.standard}
      {limit.edition && `:${limit.edition}`} {limit.clause}
      <Text fontSize="sm" color="soft">
        <Link to={`/limits/${set}#${item}`} style={LINK}>
          {limit.source}
        </Link>
        {limit.status === 'draft' ? ', draft' : ''}
      </Text>
    </Box>
  )
}
