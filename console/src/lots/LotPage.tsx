import { Box, Button, Flex, Grid, Heading, Stack, Table, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, ask } from '../api/client'
import { Trouble } from '../parts/Trouble'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { useSession } from '../session/SessionProvider'
import { YieldText } from './YieldText'

const LINK = { color: 'var(--chakra-colors-act)', textDecoration: 'underline' }
const HEADS = ['Serial', 'Latest verdict', 'Times tested', 'Document']

/** One lot summed up: progress, yields, each unit's latest verdict, and which units wait. */
export default function LotPage() {
  const { code = '' } = useParams()
  const { state } = useSession()
  const queries = useQueryClient()
  const [trouble, setTrouble] = useState('')
  const params = { path: { code } }
  const found = useQuery({
    queryKey: ['lot', code],
    queryFn: () => ask(api.GET('/api/v1/lots/{code}', { params })),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const lot = found.data
  const mayClose = lot.state === 'open' && state.at === 'in' && state.me.role !== 'quality'

  async function close() {
    try {
      queries.setQueryData(
        ['lot', code],
        await ask(api.POST('/api/v1/lots/{code}/close', { params })),
      )
      await queries.invalidateQueries({ queryKey: ['lots'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <Stack gap="5">
      <Link to="/lots" style={LINK}>
        All lots
      </Link>
      <Flex justify="space-between" align="center" wrap="wrap" gap="4">
        <Box>
          <Heading as="h1" size="2xl">
            {lot.code}
          </Heading>
          <Text color="soft">
            {lot.product}, {lot.serials}
            {lot.order_number && `, order ${lot.order_number}`}, {lot.state}
          </Text>
        </Box>
        {mayClose && (
          <Button variant="outline" bg="plate" color="ink" borderColor="edge" onClick={close}>
            Close the lot
          </Button>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
      <Grid templateColumns="repeat(auto-fit, minmax(11rem, 1fr))" gap="4">
        <Figure name="Tested" text={`${lot.tested} of ${lot.expected}`} />
        <Figure name="Passed" text={String(lot.passed)} />
        <Figure name="Failed" text={String(lot.failed)} />
        <Figure name="First-pass yield" text={<YieldText part={lot.first_pass_yield} />} />
        <Figure name="Final yield" text={<YieldText part={lot.final_yield} />} />
      </Grid>
      {lot.units.length > 0 && (
        <Box bg="plate" borderWidth="1px" borderColor="edge" overflowX="auto">
          <Table.Root size="md" aria-label="Units" css={{ '& td, & th': { bg: 'plate' } }}>
            <Table.Header>
              <Table.Row>
                {HEADS.map((head) => (
                  <Table.ColumnHeader key={head} color="soft">
                    {head}
                  </Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {lot.units.map((unit) => (
                <Table.Row key={unit.serial} color="ink">
                  <Table.Cell>
                    <Link to={`/units/${unit.serial}`} style={LINK}>
                      {unit.serial}
                    </Link>
                  </Table.Cell>
                  <Table.Cell>
                    <VerdictMark verdict={unit.verdict} cause={unit.cause} />
                  </Table.Cell>
                  <Table.Cell>{unit.times}</Table.Cell>
                  <Table.Cell>{unit.certificate ?? ''}</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Box>
      )}
      <Text>
        {lot.waiting.length === 0
          ? 'No unit waits.'
          : `Waiting (${lot.waiting.length}): ${lot.waiting.slice(0, 40).join(', ')}${
              lot.waiting.length > 40 ? ' …' : ''
            }`}
      </Text>
    </Stack>
  )
}

function Figure({ name, text }: { name: string; text: ReactNode }) {
  return (
    <Box bg="plate" borderWidth="1px" borderColor="edge" p="4">
      <Text color="soft">{name}</Text>
      <Text fontSize="3xl" fontWeight="bold">
        {text}
      </Text>
    </Box>
  )
}
