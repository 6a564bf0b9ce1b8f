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
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'

/** Cables that were captured from known-good units; an engineer may capture another. */
export default function CapturesPage() {
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
        A cable that is known to be good is measured contact by contact; what is found becomes a
        product once each net is decided. A second unit shows what differs.
      </Text>
      {may.define && <CaptureForm capture="" positions="" />}
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
            { head: 'Measured', cell: (each) => each.measured_at.slice(0, 16).replace('T', ' ') },
            { head: 'By', cell: (each) => each.account },
          ]}
        />
      )}
    </Stack>
  )
}

/** Which unit is in which nest; of its switch, the positions. */
export function CaptureForm({ capture, positions }: { capture: string; positions: string }) {
  const go = useNavigate()
  const [query, setQuery] = useSearchParams()
  const bench = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const [chosen, setChosen] = useState('')
  const [nest, setNest] = useState('')
  const [serial, setSerial] = useState('')
  const [typed, setTyped] = useState(positions)
  const [trouble, setTrouble] = useState('')
  const fixtures = (bench.data?.fixtures ?? []).filter((each) =>
    Object.values(each.nests).some((columns) =>
      Object.keys(columns).some((name) => name.includes(':')),
    ),
  )
  const fixture = fixtures.find((each) => each.code === chosen) ?? fixtures[0]
  const act = query.get('upkeep')

  async function begin(event: FormEvent) {
    event.preventDefault()
    setTrouble('')
    try {
      const body = {
        fixture: fixture?.code ?? '',
        nest,
        serial: serial.trim(),
        positions: typed.split(/[\s,;]+/).filter(Boolean),
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
    return <Text>No fixture of this bench names contacts by connector, such as X1:A.</Text>
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
          <LabelledInput
            label="Positions of its switch"
            hint="none; else SLOW, FAST"
            value={typed}
            onChange={setTyped}
            width="15rem"
          />
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
