import { Button, Flex, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, ask, askAll, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { ReasonForm } from '../parts/ReasonForm'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { words } from '../parts/words'
import { useMay } from '../session/SessionProvider'

export type Order = Schemas['OrderOut']
type State = 'open' | ''

const AGAIN_MS = 15_000

interface Props {
  /** Codes of the products that the fixture takes: an order for another is not tested here. */
  products: string[]
  onTest: (order: Order) => void
}

/** What other systems want tested: an open order fills its unit in, the result ends it. */
export default function OrdersList({ products, onTest }: Props) {
  const may = useMay()
  const moment = useMoment()
  const [state, setState] = useState<State>('open')
  const [leaving, setLeaving] = useState<Order>()
  const found = useQuery({
    queryKey: ['orders', state],
    queryFn: () => askAll(api.GET('/api/v1/orders', { params: { query: { state } } })),
    refetchInterval: AGAIN_MS,
  })
  if (found.isError) return <Trouble text={found.error.message} />
  const orders = found.data ?? []
  if (orders.length === 0 && state === 'open') return null
  const here = orders.filter(({ product }) => products.includes(product)).length
  return (
    <details>
      <summary>
        Ordered by other systems: {orders.length}, {here} of them for this fixture
      </summary>
      <Stack as="section" aria-label="Orders" gap="3" mt="3">
        <Choice
          label="Show"
          width="10rem"
          value={state}
          options={[
            ['open', 'open'],
            ['', 'all'],
          ]}
          onChange={(next) => setState(next as State)}
        />
        {leaving && <WithdrawForm order={leaving} onDone={() => setLeaving(undefined)} />}
        <DataTable
          label="Orders"
          rows={orders}
          keyOf={({ number }) => number}
          columns={[
            { head: 'Order', isWhole: true, cell: ({ number }) => <b>{number}</b> },
            {
              head: 'Device',
              cell: (order) => (
                <>
                  {order.asset || order.serial}
                  <Text color="soft">
                    {order.product} {order.asset && order.serial}
                    {order.place && `, ${order.place}`}
                  </Text>
                </>
              ),
            },
            {
              head: 'Wanted',
              cell: (order) => (
                <>
                  {words(order.occasion)}, {order.sequence || 'no sequence'}
                  {order.said && <Text color="soft">{order.said}</Text>}
                </>
              ),
            },
            {
              head: 'Due',
              isWhole: true,
              cell: (order) => (
                <>
                  {order.due}
                  {order.is_overdue && <b> overdue</b>}
                </>
              ),
            },
            {
              head: 'State',
              cell: (order) =>
                order.state === 'open' ? (
                  may.run && (
                    <Flex gap="2">
                      <Act
                        label={`Load ${order.number}`}
                        text="Load"
                        isOff={!products.includes(order.product)}
                        onClick={() => onTest(order)}
                      />
                      <Act
                        label={`Withdraw ${order.number}`}
                        text="Withdraw"
                        onClick={() => setLeaving(order)}
                      />
                    </Flex>
                  )
                ) : (
                  <Ended order={order} moment={moment} />
                ),
            },
          ]}
        />
      </Stack>
    </details>
  )
}

function Ended({ order, moment }: { order: Order; moment: (at: string) => string }) {
  if (order.state === 'withdrawn') return <>withdrawn by {order.reason}</>
  return (
    <Link to={`/run/${order.run}`} style={LINK}>
      {words(order.verdict)}, {moment(order.ended_at ?? '')}
    </Link>
  )
}

interface ActProps {
  label: string
  text: string
  isOff?: boolean
  onClick: () => void
}

function Act({ label, text, isOff = false, onClick }: ActProps) {
  return (
    <Button
      size="sm"
      variant="outline"
      borderColor="edge"
      color="ink"
      aria-label={label}
      title={isOff ? 'This fixture takes no such product; choose another.' : undefined}
      disabled={isOff}
      onClick={onClick}
    >
      {text}
    </Button>
  )
}

function WithdrawForm({ order, onDone }: { order: Order; onDone: () => void }) {
  const queries = useQueryClient()
  const withdraw = useMutation({
    mutationFn: (reason: string) =>
      ask(
        api.POST('/api/v1/orders/{number}/withdrawal', {
          params: { path: { number: order.number } },
          body: { reason },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['orders'] })
      onDone()
    },
  })
  return (
    <ReasonForm
      label={`Why does nobody want ${order.number} any more?`}
      doIt="Withdraw it"
      leaveIt="Leave it"
      isPending={withdraw.isPending}
      trouble={withdraw.error}
      onReason={(reason) => withdraw.mutate(reason)}
      onLeave={onDone}
    />
  )
}
