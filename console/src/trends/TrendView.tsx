import { Box, Flex, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useMemo } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import type { paths } from '../api/schema'
import { WatchForm } from '../items/Watches'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'
import { momentText } from '../parts/moment'
import { Trouble } from '../parts/Trouble'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { measurand } from '../parts/words'
import { addressOf } from '../units/search'
import { Facts } from './Facts'
import { plottedOf, rangesOf } from './plotted'
import { TrendPlot } from './TrendPlot'
import {
  CHARTS,
  type ChartName,
  groupName,
  type Reading,
  type Trend,
  type TrendAsked,
} from './trend'
import { ViewTabs } from './ViewTabs'

type CheckAsked = paths['/api/v1/check-trends']['get']['parameters']['query']
export type Asked = ({ of: 'units' } & TrendAsked) | ({ of: 'checks' } & CheckAsked)

interface Props {
  query: URLSearchParams
  asked: Asked
  zone: string
  onChange: (changed: Record<string, string>) => void
}

const NEWEST = 100

async function trendOf(asked: Asked): Promise<Trend> {
  if (asked.of === 'units') {
    const { of: _, ...query } = asked
    return ask(api.GET('/api/v1/trends', { params: { query } }))
  }
  const { of: _, ...query } = asked
  return ask(api.GET('/api/v1/check-trends', { params: { query } }))
}

/** A trend: its chart, what it says in figures, its groups, and its readings. */
export function TrendView({ query, asked, zone, onChange }: Props) {
  const { of, ...wanted } = asked
  const by = 'by' in asked ? (asked.by ?? '') : ''
  const found = useQuery({
    queryKey: ['trend', asked],
    queryFn: () => trendOf(asked),
    placeholderData: (kept) => kept,
  })
  const charts = CHARTS.filter(([name]) => name !== 'groups' || by !== '')
  const given = query.get('chart') as ChartName | null
  const chart = charts.find(([name]) => name === given)?.[0] ?? 'time'
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const path = `/api/v1/${of === 'units' ? 'trends' : 'check-trends'}`
  const told = addressOf(wanted)
  return (
    <Stack gap="4">
      <Box bg="plate" borderWidth="1px" borderColor="edge" p="4">
        <Flex justify="space-between" gap="4" wrap="wrap" mb="2">
          <ViewTabs
            label="Chart"
            value={chart}
            options={charts}
            onChange={(name) => onChange({ chart: name === 'time' ? '' : name })}
          />
          <Flex gap="4" align="center">
            {(['svg', 'png'] as const).map((form) => (
              <a key={form} href={`${path}/${chart}/${form}?${told}`} style={LINK}>
                {form.toUpperCase()}
              </a>
            ))}
            <a href={`${path}/table?${told}`} style={LINK} download>
              CSV
            </a>
          </Flex>
        </Flex>
        <Flex gap="5" direction={{ base: 'column', lg: 'row' }}>
          <Box flex="1" minW="0">
            <Charts
              trend={found.data}
              chart={chart}
              by={by}
              zone={zone}
              isOfUnits={of === 'units'}
            />
          </Box>
          <Facts trend={found.data} zone={zone} />
        </Flex>
      </Box>
      {of === 'units' && <WatchForm trend={wanted as Schemas['WatchIn']['trend']} />}
      {found.data.groups.length > 0 && <Groups groups={found.data.groups} by={by} />}
      <Readings readings={found.data.readings} zone={zone} isOfUnits={of === 'units'} />
    </Stack>
  )
}

interface ChartsProps {
  trend: Trend
  chart: ChartName
  by: string
  zone: string
  isOfUnits: boolean
}

function Charts({ trend, chart, by, zone, isOfUnits }: ChartsProps) {
  const navigate = useNavigate()
  const plotted = useMemo(() => plottedOf(trend, chart, by), [trend, chart, by])
  const ranges = useMemo(() => (chart === 'individuals' ? rangesOf(trend) : null), [trend, chart])
  const pick = useCallback(
    (reading: Reading) => {
      if (isOfUnits) navigate(`/units/${reading.serial}`)
    },
    [navigate, isOfUnits],
  )
  const name = measurand(trend)
  if (plotted.x.length === 0) {
    return (
      <Text>
        {chart === 'histogram' && trend.readings.length > 0
          ? 'No reading is a number, so none has a place in a histogram.'
          : 'There are no readings of it that prove anything.'}
      </Text>
    )
  }
  const { below, above } = trend.histogram
  return (
    <>
      <TrendPlot
        plotted={plotted}
        unit={trend.unit}
        zone={zone}
        label={`${name} of ${trend.title || trend.step}`}
        height={ranges ? 260 : 340}
        onPick={pick}
      />
      {ranges && (
        <TrendPlot
          plotted={ranges}
          unit={trend.scale === 'decades' ? '' : trend.unit}
          zone={zone}
          label={`Moving ranges of ${name}`}
          height={150}
          onPick={pick}
        />
      )}
      {chart === 'individuals' && trend.chart === null && (
        <Text color="soft">Fewer than 8 readings are numbers, or half of them: no limits.</Text>
      )}
      {chart === 'histogram' && below + above > 0 && (
        <Text color="soft">
          Without a place:{' '}
          {[below && `${below} under the floor`, above && `${above} over the range`]
            .filter(Boolean)
            .join(', ')}
          .
        </Text>
      )}
    </>
  )
}

function Groups({ groups, by }: { groups: Schemas['GroupOut'][]; by: string }) {
  return (
    <DataTable
      label={`Compared by ${by}`}
      rows={groups}
      keyOf={({ name }) => name}
      isNarrow
      columns={[
        { head: by[0]?.toUpperCase() + by.slice(1), cell: ({ name }) => groupName(name) },
        { head: 'Readings', isNumber: true, cell: ({ count }) => count },
        { head: 'Failed', isNumber: true, cell: ({ failed }) => failed },
        { head: 'Half up to', isNumber: true, cell: ({ median }) => median.text },
        {
          head: 'Against the others',
          isNumber: true,
          cell: ({ score }) =>
            score === null ? '' : `${score > 0 ? '+' : ''}${score.toFixed(1)} σ`,
        },
        {
          head: 'Stands out',
          cell: ({ stands_out: out }) =>
            out && (
              <Text as="span" color="bad" fontWeight="bold">
                {out}
              </Text>
            ),
        },
      ]}
    />
  )
}

function Readings({
  readings,
  zone,
  isOfUnits,
}: {
  readings: Reading[]
  zone: string
  isOfUnits: boolean
}) {
  const newest = readings.slice(-NEWEST).reverse()
  if (newest.length === 0) return null
  return (
    <Stack gap="2">
      {readings.length > NEWEST && (
        <Text color="soft">The newest {NEWEST}; the CSV has all of them.</Text>
      )}
      <DataTable
        label="Readings"
        rows={newest}
        keyOf={(each) => `${each.id} ${each.attempt} ${each.repetition}`}
        isNarrow
        columns={[
          {
            head: isOfUnits ? 'Serial' : 'Box',
            isWhole: true,
            cell: (each) =>
              isOfUnits ? (
                <Link to={`/units/${each.serial}`} style={LINK}>
                  {each.serial}
                </Link>
              ) : (
                each.serial
              ),
          },
          { head: 'Reading', isNumber: true, isWhole: true, cell: (each) => each.text },
          {
            head: 'Verdict',
            cell: (each) => each.verdict && <VerdictMark verdict={each.verdict} />,
          },
          {
            head: 'Used',
            cell: (each) => (each.is_used ? '' : `left out${each.cause ? `: ${each.cause}` : ''}`),
          },
          {
            head: 'Nest',
            isWhole: true,
            cell: ({ groups }) => groups.nest ?? '',
          },
          { head: 'By', cell: ({ groups }) => groups.instrument ?? '' },
          { head: 'Lot', isWhole: true, cell: ({ groups }) => groups.lot ?? '' },
          {
            head: 'Tested',
            isWhole: true,
            cell: (each) => momentText(each.at, zone),
          },
        ]}
      />
    </Stack>
  )
}
