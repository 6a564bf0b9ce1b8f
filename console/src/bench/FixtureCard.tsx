import { Box, Button, Flex, Heading, Input, Stack, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { VerdictMark, VerdictShape } from '../parts/VerdictMark'
import { useMay } from '../session/SessionProvider'
import { ContactTable } from './ContactTable'
import { type TouchAsked, TouchForm } from './TouchForm'

type Fixture = Schemas['FixtureOut']
type Kind = Schemas['NewUpkeep']['kind']

interface Props {
  fixture: Fixture
  isBusy: boolean
  onBegin: (kind: Kind, fixture: string) => void
  onTouch: (asked: TouchAsked) => void
}

/** A fixture: fit for certificates or not and why, its wiring, zeroes and matings. */
export function FixtureCard({ fixture, isBusy, onBegin, onTouch }: Props) {
  const moment = useMoment()
  const may = useMay()
  const [isTouching, setTouching] = useState(false)
  const hasConnectors = Object.values(fixture.nests).some((columns) =>
    Object.keys(columns).some((name) => name.includes(':')),
  )
  return (
    <Stack as="section" aria-label={`Fixture ${fixture.code}`} gap="3">
      <Flex justify="space-between" align="center" gap="4" wrap="wrap">
        <Heading as="h2" size="lg">
          {fixture.code}
          <Text as="span" color="soft" fontSize="md" ml="3" fontWeight="normal">
            {fixture.title}
          </Text>
        </Heading>
        <Flex gap="3" hidden={!may.run}>
          <Act text="Zero the leads" isBusy={isBusy} onAct={() => onBegin('zero', fixture.code)} />
          <Act
            text="Daily check"
            isBusy={isBusy}
            onAct={() => onBegin('daily_check', fixture.code)}
          />
          {hasConnectors && (
            <Act text="Probe" isBusy={isBusy} onAct={() => setTouching(!isTouching)} />
          )}
        </Flex>
      </Flex>
      {isTouching && <TouchForm fixture={fixture} isBusy={isBusy} onBegin={onTouch} />}
      {fixture.requirements.map((each) => (
        <Flex key={each.name} gap="3" align="center">
          <Text color={each.met ? 'good' : 'unsure'}>
            <VerdictShape verdict={each.met ? 'pass' : 'inconclusive'} size={18} />
          </Text>
          <Text>
            <b>{each.met ? 'Met' : 'Not met'}:</b> {each.name}. {each.reason}
          </Text>
        </Flex>
      ))}
      {fixture.maps.map((each) => (
        <Flex key={each.nest} gap="3" align="center">
          <Text color={each.differences.length === 0 ? 'good' : 'bad'}>
            <VerdictShape verdict={each.differences.length === 0 ? 'pass' : 'fail'} size={18} />
          </Text>
          <Text>
            <b>Columns of nest {each.nest}:</b>{' '}
            {each.differences.join(' ') || `${Object.keys(each.columns).length} as in the file.`}{' '}
            Measured {each.part ? `by ${each.part}` : 'with the probe'}, {moment(each.measured_at)},{' '}
            {each.account}.
          </Text>
        </Flex>
      ))}
      {fixture.zeroed !== '' && <Text>Zeroed last {fixture.zeroed}.</Text>}
      <ContactTable fixture={fixture} />
      {fixture.impedance_zeroes.length > 0 && (
        <details>
          <summary>Impedance paths, open and shorted</summary>
          <DataTable
            label={`Impedance zeroes of ${fixture.code}`}
            rows={fixture.impedance_zeroes}
            keyOf={(each) => `${each.nest} ${each.high} ${each.low} ${each.frequency}`}
            isNarrow
            columns={[
              { head: 'Nest', cell: (each) => <b>{each.nest}</b> },
              { head: 'Path', cell: (each) => `${each.high} to ${each.low}` },
              { head: 'Frequency', isNumber: true, cell: (each) => each.frequency },
              { head: 'Open', isNumber: true, cell: (each) => each.open },
              { head: 'Shorted', isNumber: true, cell: (each) => each.short },
              { head: 'Age', cell: (each) => (each.is_young ? 'in date' : 'too old') },
            ]}
          />
        </details>
      )}
      {fixture.daily_check && <CheckReport check={fixture.daily_check} />}
      {may.define && <RenewForm fixture={fixture.code} />}
    </Stack>
  )
}

function Act({ text, isBusy, onAct }: { text: string; isBusy: boolean; onAct: () => void }) {
  return (
    <Button bg="act" color="act.ink" disabled={isBusy} onClick={onAct}>
      {text}
    </Button>
  )
}

function CheckReport({ check }: { check: Schemas['DailyCheckOut'] }) {
  const moment = useMoment()
  const word = check.passed ? 'passed' : 'failed'
  return (
    <details>
      <summary>
        Daily check of {moment(check.ended_at)} by {check.account}: {word}
      </summary>
      <Stack gap="3" mt="3">
        {check.findings.map((finding) => (
          <Trouble key={finding} text={finding} />
        ))}
        {[check.good, check.bad].map(
          (box) =>
            box.steps.length > 0 && (
              <DataTable
                key={box.serial}
                label={`Readings of ${box.serial}`}
                rows={box.steps}
                keyOf={(step) => step.id}
                isNarrow
                columns={[
                  { head: box.serial, cell: (step) => step.title },
                  {
                    head: 'Readings',
                    cell: (step) =>
                      step.readings
                        .filter((reading) => reading.limit !== '')
                        .map((reading) => `${reading.text} (${reading.limit})`)
                        .join(', '),
                  },
                  {
                    head: 'Verdict',
                    cell: (step) => <VerdictMark verdict={step.verdict} cause={step.cause} />,
                  },
                ]}
              />
            ),
        )}
      </Stack>
    </details>
  )
}

function RenewForm({ fixture }: { fixture: string }) {
  const queries = useQueryClient()
  const [isOpen, setOpen] = useState(false)
  const [note, setNote] = useState('')
  const [trouble, setTrouble] = useState('')
  const id = `renew-${fixture}`

  async function submit(event: FormEvent) {
    event.preventDefault()
    try {
      const params = { path: { code: fixture } }
      await ask(api.POST('/api/v1/fixtures/{code}/renewals', { params, body: { note } }))
      setOpen(false)
      setNote('')
      setTrouble('')
      await queries.invalidateQueries({ queryKey: ['bench'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  if (!isOpen) {
    return (
      <Box>
        <Button
          size="sm"
          variant="outline"
          color="ink"
          borderColor="edge"
          onClick={() => setOpen(true)}
        >
          Contacts renewed
        </Button>
      </Box>
    )
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="3" align="center" wrap="wrap">
        <label htmlFor={id}>What was renewed?</label>
        <Input
          id={id}
          autoFocus
          w="24rem"
          bg="plate"
          borderColor="edge"
          value={note}
          onChange={(event) => setNote(event.target.value)}
        />
        <Button type="submit" bg="act" color="act.ink" disabled={note.trim() === ''}>
          Count matings from now
        </Button>
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </form>
  )
}
