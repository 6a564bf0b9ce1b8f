import { Box, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { api, ask, askAll } from '../api/client'
import { UpkeepBar } from '../bench/UpkeepBar'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'

/** What was captured from known-good units; an engineer may capture another. */
export default function CapturesPage() {
  const moment = useMoment()
  const may = useMay()
  const found = useQuery({
    queryKey: ['captures'],
    queryFn: () => askAll(api.GET('/api/v1/captures')),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Captures
      </Heading>
      <Text>
        A unit that is known to be good is measured contact by contact: a cable for its nets and
        components, a transformer for its pins and windings. What is found becomes a product once
        all of it is decided. A second unit shows what differs.
      </Text>
      {may.define && <CaptureForm capture="" positions="" at="" />}
      {found.data.length > 0 && (
        <DataTable
          label="Captures"
          rows={found.data}
          keyOf={(each) => each.id}
          columns={[
            {
              head: 'Units',
              cell: (each) => (
                <Link to={`/captures/${each.id}`} style={LINK}>
                  {each.serials.join(', ')}
                </Link>
              ),
            },
            { head: 'Fixture', cell: (each) => each.fixture },
            { head: 'Measured', cell: (each) => moment(each.measured_at) },
            { head: 'By', cell: (each) => each.account },
          ]}
        />
      )}
    </Stack>
  )
}

interface FormProps {
  capture: string
  positions: string
  /** The fixture to begin with; one of cables where none is told. */
  at: string
}

/** Which unit is in which nest; of a cable's switch the positions, of windings the temperature. */
export function CaptureForm({ capture, positions, at }: FormProps) {
  const go = useNavigate()
  const [query, setQuery] = useSearchParams()
  const bench = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const [chosen, setChosen] = useState(at)
  const [nest, setNest] = useState('')
  const [serial, setSerial] = useState('')
  const [typed, setTyped] = useState(positions)
  const [temperature, setTemperature] = useState('')
  const [trouble, setTrouble] = useState('')
  const fixtures = bench.data?.fixtures ?? []
  const fixture =
    fixtures.find((each) => each.code === chosen) ??
    fixtures.find((each) => isOfCables(each.nests)) ??
    fixtures[0]
  const isCable = fixture !== undefined && isOfCables(fixture.nests)
  const act = query.get('upkeep')

  async function begin(event: FormEvent) {
    event.preventDefault()
    setTrouble('')
    try {
      const body = {
        fixture: fixture?.code ?? '',
        nest,
        serial: serial.trim(),
        positions: isCable ? typed.split(/[\s,;]+/).filter(Boolean) : [],
        temperature: isCable ? '' : temperature.trim(),
        capture,
      }
      const begun = await ask(api.POST('/api/v1/captures', { body }))
      setQuery({ upkeep: begun.id }, { replace: true })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  if (bench.isError) return <Trouble text={bench.error.message} />
  if (bench.data === undefined) return null
  if (fixture === undefined) {
    return <Text>This bench has no fixture.</Text>
  }
  return (
    <Stack gap="4">
      {act && (
        <UpkeepBar
          key={act}
          id={act}
          onClose={() => setQuery({}, { replace: true })}
          onMade={(made) => go(`/captures/${made}`, { replace: true })}
        />
      )}
      <form onSubmit={(event) => void begin(event)} aria-label="Capture a unit">
        <Flex gap="4" align="flex-end" wrap="wrap">
          <Choice
            label="Fixture"
            value={fixture.code}
            onChange={setChosen}
            options={fixtures.map((each) => each.code)}
          />
          <Choice
            label="Nest"
            value={nest || (Object.keys(fixture.nests)[0] ?? '')}
            onChange={setNest}
            options={Object.keys(fixture.nests)}
          />
          <LabelledInput
            label="Serial of the good unit"
            value={serial}
            onChange={setSerial}
            width="15rem"
          />
          {isCable ? (
            <LabelledInput
              label="Positions of its switch"
              hint="none; else SLOW, FAST"
              value={typed}
              onChange={setTyped}
              width="15rem"
            />
          ) : (
            <LabelledInput
              label="Its temperature"
              hint="23 °C or 73 °F"
              value={temperature}
              onChange={setTemperature}
              width="15rem"
            />
          )}
          <Box>
            <KeyButton
              keyName="Enter"
              type="submit"
              size="md"
              bg="act"
              color="act.ink"
              disabled={serial.trim() === '' || bench.data.busy_with !== ''}
            >
              Capture it
            </KeyButton>
          </Box>
        </Flex>
      </form>
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}

/** Whether contacts are named by connector, as those of cables are. */
function isOfCables(nests: Record<string, Record<string, number>>): boolean {
  return Object.values(nests).some((columns) =>
    Object.keys(columns).some((name) => name.includes(':')),
  )
}
