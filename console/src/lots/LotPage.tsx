import { Box, Button, Flex, Grid, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, ask } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { YieldText } from './YieldText'

/** One lot summed up: progress, yields, each unit's latest verdict, and which units wait. */
export default function LotPage() {
  const { code = '' } = useParams()
  const may = useMay()
  const queries = useQueryClient()
  const [trouble, setTrouble] = useState('')
  const [issued, setIssued] = useState('')
  const params = { path: { code } }
  const found = useQuery({
    queryKey: ['lot', code],
    queryFn: () => ask(api.GET('/api/v1/lots/{code}', { params })),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const lot = found.data
  const mayClose = lot.state === 'open' && may.run

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

  async function sumUp() {
    try {
      const made = await ask(api.POST('/api/v1/lots/{code}/summary', { params }))
      setTrouble('')
      setIssued(made.number)
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
        <a href={`/api/v1/lots/${code}/pdf`} style={LINK}>
          As it stands (PDF)
        </a>
        <Link to={`/certificates?lot=${encodeURIComponent(code)}`} style={LINK}>
          Its documents
        </Link>
        {may.sum_up && (
          <Button variant="outline" bg="plate" color="ink" borderColor="edge" onClick={sumUp}>
            Issue its summary
          </Button>
        )}
        {mayClose && (
          <Button variant="outline" bg="plate" color="ink" borderColor="edge" onClick={close}>
            Close the lot
          </Button>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
      {issued && (
        <Text role="status">
          Issued{' '}
          <a href={`/api/v1/certificates/${issued}/pdf`} style={LINK}>
            {issued}
          </a>
          .
        </Text>
      )}
      <Grid templateColumns="repeat(auto-fit, minmax(11rem, 1fr))" gap="4">
        <Figure name="Tested" text={`${lot.tested} of ${lot.expected}`} />
        <Figure name="Passed" text={String(lot.passed)} />
        <Figure name="Failed" text={String(lot.failed)} />
        <Figure name="First-pass yield" text={<YieldText part={lot.first_pass_yield} />} />
        <Figure name="Final yield" text={<YieldText part={lot.final_yield} />} />
      </Grid>
      {lot.units.length > 0 && (
        <DataTable
          label="Units"
          rows={lot.units}
          keyOf={(unit) => unit.serial}
          columns={[
            {
              head: 'Serial',
              cell: (unit) => (
                <Link to={`/units/${unit.serial}`} style={LINK}>
                  {unit.serial}
                </Link>
              ),
            },
            {
              head: 'Latest verdict',
              cell: (unit) => <VerdictMark verdict={unit.verdict} cause={unit.cause} />,
            },
            { head: 'Times tested', isNumber: true, cell: (unit) => unit.times },
            {
              head: 'Document',
              cell: (unit) => `${unit.certificate ?? ''}${unit.revoked ? ' (revoked)' : ''}`,
            },
          ]}
        />
      )}
      <Text>
        {lot.waiting_count === 0
          ? 'No unit waits.'
          : `Waiting (${lot.waiting_count})${lot.waiting.length > 0 ? ': ' : ''}${lot.waiting
              .slice(0, 40)
              .join(', ')}${lot.waiting.length > 40 ? ' …' : ''}`}
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
