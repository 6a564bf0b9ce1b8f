import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { ReasonForm } from '../parts/ReasonForm'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'

type DueUnit = Schemas['DueUnit']
type DueProduct = Schemas['DueProduct']
type DueOut = Schemas['DueOut']

const KEY = ['due']
const SHOWN = 100

/** Readings and curves that have been kept long enough: shown first, and then let go. */
export function Due({ mayLetGo }: { mayLetGo: boolean }) {
  const queries = useQueryClient()
  const found = useQuery({ queryKey: KEY, queryFn: () => ask(api.GET('/api/v1/records/due')) })
  const [isOpen, setIsOpen] = useState(false)
  // Whoever is asked is asked about the list that they see, whatever has come to it since.
  const [asked, setAsked] = useState<DueOut>()
  const letGo = useMutation({
    mutationFn: (reason: string) =>
      ask(api.POST('/api/v1/records/letting-go', { body: { seen: asked?.seen ?? '', reason } })),
    onSuccess: () => setAsked(undefined),
    // Whatever came of it, what is due is another list now.
    onSettled: async () => {
      await queries.invalidateQueries({ queryKey: KEY })
      await queries.invalidateQueries({ queryKey: ['audit'] })
    },
  })
  const due = asked ?? found.data
  const units = due ? [...due.units, ...due.held] : []
  const over = due?.products.filter((each) => each.units + each.held > 0) ?? []
  return (
    <Stack gap="3" as="section" aria-label="Due to go">
      <Heading as="h2" size="lg">
        Due to go
      </Heading>
      {found.isError && <Trouble text={found.error.message} />}
      {due?.unknown.map((each) => (
        <Trouble
          key={each}
          text={`The site file keeps ${each}, and nothing here is of that product. Until that is put right nothing goes.`}
        />
      ))}
      {due && due.products.length === 0 && (
        <Text color="soft">
          The site file gives no times: everything that was measured is kept.
        </Text>
      )}
      {over.length > 0 && (
        <DataTable
          label="How long what was measured is kept"
          rows={over}
          keyOf={(each) => each.product}
          columns={[
            { head: 'Product', cell: (each) => <b>{each.product}</b> },
            { head: 'Kept for', cell: (each) => `${each.years} years`, isNumber: true },
            { head: 'Due', cell: (each) => each.units, isNumber: true },
            { head: 'Held', cell: (each) => each.held, isNumber: true },
            { head: 'Readings', cell: (each) => each.readings, isNumber: true },
            { head: 'Curves', cell: (each) => each.curves, isNumber: true },
            { head: 'Tested', cell: testedIn },
          ]}
        />
      )}
      {due && due.products.length > 0 && (
        <Text color="soft">
          {units.length === 0
            ? `Nothing is due on ${due.today}, by the times of ${due.products.length} products.`
            : `What is due on ${due.today}. Nothing goes that was not looked at.`}
        </Text>
      )}
      {letGo.data && (
        <Text role="status" fontWeight="bold">
          {letGo.data.readings} readings and {letGo.data.curves} curves of {letGo.data.units} units
          in runs went.
        </Text>
      )}
      {letGo.data?.left.map((each) => (
        <Trouble key={keyOf(each)} text={`${each.serial} was left. ${each.held}`} />
      ))}
      {units.length > 0 && (
        <Flex gap="4" align="center" wrap="wrap">
          <Button
            variant="outline"
            borderColor="edge"
            color="ink"
            aria-expanded={isOpen}
            onClick={() => setIsOpen(!isOpen)}
          >
            {isOpen ? 'Hide the units' : 'Show the units'}
          </Button>
          {mayLetGo && isOpen && due && due.units.length > 0 && !asked && (
            <Button
              variant="outline"
              borderColor="bad"
              color="bad"
              onClick={() => {
                letGo.reset()
                setAsked(due)
              }}
            >
              Let go what was measured of {due.units.length} units
            </Button>
          )}
        </Flex>
      )}
      {asked && (
        <Box>
          <Text mb="2">
            Readings and curves go for good. Verdicts, answers, remarks, pictures and documents
            stay.
          </Text>
          <ReasonForm
            label={`Why may what was measured of ${asked.units.length} units go?`}
            doIt="Let it go"
            leaveIt="Keep it"
            isPending={letGo.isPending}
            trouble={letGo.error}
            onReason={(reason) => letGo.mutate(reason)}
            onLeave={() => setAsked(undefined)}
          />
        </Box>
      )}
      {isOpen && units.length > 0 && <Units units={units} further={due?.further ?? 0} />}
    </Stack>
  )
}

function Units({ units, further }: { units: DueUnit[]; further: number }) {
  const moment = useMoment()
  const [shown, setShown] = useState(SHOWN)
  return (
    <>
      <DataTable
        label="Units whose time is over"
        rows={units.slice(0, shown)}
        keyOf={keyOf}
        columns={[
          { head: 'Unit', cell: (each) => <b>{each.serial}</b> },
          { head: 'Product', cell: (each) => each.product },
          { head: 'Ended', cell: (each) => moment(each.ended_at) },
          { head: 'State', cell: (each) => each.held || 'due' },
        ]}
      />
      {units.length > shown && (
        <Button
          alignSelf="start"
          variant="outline"
          borderColor="edge"
          color="ink"
          onClick={() => setShown(shown + SHOWN)}
        >
          {units.length - shown} more
        </Button>
      )}
      {further > 0 && <Text color="soft">{further} more are due once these have gone.</Text>}
    </>
  )
}

function keyOf(unit: DueUnit): string {
  return `${unit.run}/${unit.nest}`
}

function testedIn({ oldest, newest }: DueProduct): string {
  const [first, last] = [oldest?.slice(0, 10), newest?.slice(0, 10)]
  if (!first) return ''
  return first === last ? first : `${first} to ${last}`
}
