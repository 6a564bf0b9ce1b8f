import { Box, Checkbox, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
import { CurvePlots } from '../curves/CurvePlot'
import { type Drawn, quantitiesOf, usualOf } from '../curves/drawn'
import { useCurves } from '../curves/useCurves'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { datesOf, type Row, rowsOf, type Tested, testsOf } from './dates'

const MOST_DATES = 6

/** One unit's test on every date: the curves laid over one another, and the figures beside. */
export default function DatesPage() {
  const { serial = '' } = useParams()
  const [query, setQuery] = useSearchParams()
  const found = useQuery({
    queryKey: ['unit', serial],
    queryFn: () => ask(api.GET('/api/v1/units/{serial}', { params: { path: { serial } } })),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const tests = testsOf(found.data)
  const wanted = query.get('test') ?? ''
  const kind = tests.some(([each]) => each === wanted) ? wanted : (tests[0]?.[0] ?? '')
  const dates = datesOf(found.data, kind)
  // So many as can be told from one another; the newest, until others are chosen.
  const off = new Set(
    query.get('off')?.split(',') ?? dates.slice(0, -MOST_DATES).map(({ runId }) => runId),
  )
  function choose(changed: Record<string, string>) {
    const next = new URLSearchParams(query)
    for (const [name, value] of Object.entries(changed)) next.set(name, value)
    setQuery(next, { replace: true })
  }
  return (
    <Stack gap="4">
      <Link to={`/units/${serial}`} style={LINK}>
        Back to {serial}
      </Link>
      <Heading as="h1" size="2xl">
        {serial}
        <Text as="span" color="soft" fontSize="lg" ml="4">
          {found.data[0]?.product}, date by date
        </Text>
      </Heading>
      {tests.length === 0 ? (
        <Text>Nothing was measured of this unit yet; test it on the Run page.</Text>
      ) : (
        <>
          <Flex gap="5" align="end" wrap="wrap">
            <Choice
              label="Test"
              width="20rem"
              value={kind}
              options={tests}
              onChange={(test) => choose({ test, off: '' })}
            />
            <Dates
              dates={dates}
              off={off}
              onChange={(ids) => choose({ test: kind, off: [...ids].join(',') })}
            />
          </Flex>
          <Compared
            dates={dates.filter(({ runId }) => !off.has(runId))}
            quantity={query.get('quantity') ?? ''}
            onQuantity={(quantity) => choose({ quantity })}
          />
        </>
      )}
    </Stack>
  )
}

interface DatesProps {
  dates: Tested[]
  off: Set<string>
  onChange: (off: Set<string>) => void
}

/** Every date of the test, each to be clicked off. */
function Dates({ dates, off, onChange }: DatesProps) {
  const moment = useMoment()
  return (
    <Flex as="fieldset" gap="4" wrap="wrap" pb="2">
      <Text as="legend" color="soft">
        Dates (UTC)
      </Text>
      {dates.map(({ runId, at, attempt }) => (
        <Checkbox.Root
          key={runId}
          checked={!off.has(runId)}
          onCheckedChange={({ checked }) => {
            const next = new Set(off)
            if (checked) next.delete(runId)
            else next.add(runId)
            onChange(next)
          }}
        >
          <Checkbox.HiddenInput />
          <Checkbox.Control borderColor="edge" />
          <Checkbox.Label>
            <Flex gap="2" align="center">
              {moment(at)} <VerdictMark verdict={attempt.verdict} />
            </Flex>
          </Checkbox.Label>
        </Checkbox.Root>
      ))}
    </Flex>
  )
}

interface ComparedProps {
  dates: Tested[]
  quantity: string
  onQuantity: (quantity: string) => void
}

function Compared({ dates, quantity, onQuantity }: ComparedProps) {
  const moment = useMoment()
  const drawable = dates.filter(({ attempt }) => attempt.curves > 0)
  const { trouble, isWaiting, each } = useCurves(
    drawable.map(({ runId, nest, attempt }) => ({
      runId,
      nest,
      step: attempt.step_id,
      number: attempt.number,
    })),
  )
  const drawn = useMemo(
    () =>
      each.flatMap((own, place) =>
        own
          .filter(({ curve }) => curve.drawn !== 'table')
          // The same unit each time: what tells its curves apart is the date.
          .map((one): Drawn => ({ ...one, serial: moment(drawable[place]?.at ?? '') })),
      ),
    [each, drawable, moment],
  )
  const names = quantitiesOf(drawn)
  const shown = names.includes(quantity) ? quantity : usualOf(drawn)
  return (
    <Stack gap="4">
      {trouble && <Trouble text={trouble.message} />}
      {isWaiting && <Waiting />}
      {names.length > 0 && (
        <Box bg="plate" borderWidth="1px" borderColor="edge" p="4">
          <Choice
            label="Curve"
            width="14rem"
            value={shown}
            options={names.map((name): [string, string] => [name, words(name)])}
            onChange={onQuantity}
          />
          <CurvePlots drawn={drawn} quantity={shown} />
        </Box>
      )}
      <Figures dates={dates} />
    </Stack>
  )
}

/** What was read on each date, and how far the newest is from the oldest. */
function Figures({ dates }: { dates: Tested[] }) {
  const moment = useMoment()
  return (
    <DataTable
      label="Readings by date"
      rows={rowsOf(dates)}
      keyOf={({ name }) => name}
      isNarrow
      columns={[
        { head: 'Reading', cell: ({ name }) => name },
        ...dates.map(({ at }, place) => ({
          head: moment(at),
          isNumber: true,
          cell: (row: Row) => row.texts[place] ?? '–',
        })),
        {
          head: 'Change',
          isNumber: true,
          cell: ({ change }) =>
            change === null
              ? ''
              : `${change >= 0 ? '+' : '−'}${Math.abs(change * 100).toFixed(1)} %`,
        },
      ]}
    />
  )
}
