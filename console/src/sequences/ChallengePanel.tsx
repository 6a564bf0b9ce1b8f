import { Box, Button, Checkbox, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { Trouble } from '../parts/Trouble'
import type { SequenceDocument } from './document'

type Found = Schemas['ChallengeOut']

/** Runs what is written against stand-in units with each fault, and shows faults by steps. */
export function ChallengePanel({ document }: { document: SequenceDocument }) {
  const [pairs, setPairs] = useState(false)
  const [found, setFound] = useState<Found>()
  const [trouble, setTrouble] = useState('')
  const [isBusy, setBusy] = useState(false)

  async function run() {
    setBusy(true)
    setTrouble('')
    try {
      const params = { query: { pairs } }
      setFound(await ask(api.POST('/api/v1/sequences/challenge', { params, body: document })))
    } catch (error) {
      setTrouble((error as Error).message)
    } finally {
      setBusy(false)
    }
  }

  return (
    <Stack gap="3" as="section" aria-label="Challenge">
      <Flex gap="5" align="center" wrap="wrap">
        <Heading as="h2" size="lg">
          Challenge
        </Heading>
        <Button
          variant="outline"
          borderColor="act"
          color="act"
          loading={isBusy}
          loadingText="Running it against every fault"
          onClick={() => void run()}
        >
          Run against every fault
        </Button>
        <Checkbox.Root
          checked={pairs}
          onCheckedChange={({ checked }) => setPairs(checked === true)}
        >
          <Checkbox.HiddenInput />
          <Checkbox.Control borderColor="edge" />
          <Checkbox.Label>and each two together</Checkbox.Label>
        </Checkbox.Root>
      </Flex>
      {trouble && <Trouble text={trouble} />}
      {found !== undefined && <Matrix found={found} />}
    </Stack>
  )
}

function Matrix({ found }: { found: Found }) {
  const alarms = found.steps.filter((step) => (found.false_alarms[step] ?? 0) > 0)
  return (
    <Stack gap="3">
      <Text fontWeight="bold" color={found.missed > 0 || alarms.length > 0 ? 'bad' : 'good'}>
        {found.caught} of {found.rows.length} faults are caught
        {found.missed > 0 && `, ${found.missed} missed`}.{' '}
        {alarms.length === 0
          ? `${found.repetitions} good units: no false alarm.`
          : `False alarms on ${found.repetitions} good units: ${alarms
              .map((step) => `${step} ${found.false_alarms[step]}`)
              .join(', ')}.`}
      </Text>
      <DataTable
        label="Faults by steps"
        rows={found.rows}
        keyOf={(row) => row.faults.join(' + ')}
        columns={[
          {
            head: 'Fault',
            cell: (row) => (
              <Box>
                {row.title}
                <Text fontSize="sm" color="soft">
                  {row.faults.join(' + ')}
                </Text>
              </Box>
            ),
          },
          {
            head: 'Caught',
            cell: (row) => (
              <Text fontWeight="bold" color={row.caught ? 'good' : 'bad'}>
                {row.caught ? 'caught' : 'MISSED'}
              </Text>
            ),
          },
          ...found.steps.map((step) => ({
            head: step,
            cell: (row: Found['rows'][number]) => {
              const made = row.verdicts[step]
              if (made === undefined || made.verdict === 'pass') {
                return <Text color="soft">passes</Text>
              }
              return (
                <Text fontWeight="bold">{(made.cause || made.verdict).replaceAll('_', ' ')}</Text>
              )
            },
          })),
        ]}
      />
    </Stack>
  )
}
