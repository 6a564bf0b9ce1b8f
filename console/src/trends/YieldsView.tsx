import { Box, Flex, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { askedOf } from '../units/search'
import { useSettled } from '../units/useSettled'

const BY = [
  'week',
  'day',
  'month',
  'product',
  'lot',
  'sequence',
  'bench',
  'fixture',
  'nest',
  'operator',
] as const
type By = (typeof BY)[number]
type Yield = Schemas['YieldOut']
type Share = Schemas['ShareOut'] | null

interface Props {
  query: URLSearchParams
  onChange: (changed: Record<string, string>) => void
}

/** How many units passed at first and in the end, by group, and what they failed of. */
export function YieldsView({ query, onChange }: Props) {
  const asked = useSettled(askedOf(query))
  const by: By = BY.find((each) => each === query.get('group')) ?? 'week'
  const found = useQuery({
    queryKey: ['yields', by, asked],
    queryFn: () => ask(api.GET('/api/v1/yields/{by}', { params: { path: { by }, query: asked } })),
    placeholderData: (kept) => kept,
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const { groups, causes, total, is_cut: isCut } = found.data
  return (
    <Stack gap="4">
      <Choice
        label="Yields by"
        width="10rem"
        value={by}
        options={[...BY]}
        onChange={(next) => onChange({ group: next === 'week' ? '' : next })}
      />
      {groups.length === 0 ? (
        <Text>No unit that is so was tested to a verdict.</Text>
      ) : (
        <Flex gap="5" wrap="wrap" align="start">
          <DataTable
            label={`Yields by ${by}`}
            rows={groups.length > 1 ? [...groups, { ...total, name: 'all' }] : groups}
            keyOf={({ name }) => name || 'none'}
            isNarrow
            columns={[
              {
                head: by[0]?.toUpperCase() + by.slice(1),
                isWhole: true,
                cell: ({ name }) => name || 'none',
              },
              { head: 'Units', isNumber: true, cell: ({ tested }) => tested },
              {
                head: 'First pass',
                isNumber: true,
                cell: (each: Yield) => percent(each.first_pass),
              },
              { head: '', cell: (each) => <ShareBar share={each.first_pass} /> },
              { head: 'In the end', isNumber: true, cell: (each) => percent(each.final) },
              { head: 'Failed', isNumber: true, cell: ({ failed }) => failed },
            ]}
          />
          <Causes causes={causes} />
        </Flex>
      )}
      {isCut && <Text color="soft">There are more groups; narrow the search.</Text>}
    </Stack>
  )
}

function percent(share: Share): string {
  return share === null ? '' : `${(share.share * 100).toFixed(1)} %`
}

const LENGTH = 160

/** A share from 0 to 1 as a notch, with its 95 % interval as a rail. */
function ShareBar({ share }: { share: Share }) {
  if (share === null) return null
  const told = `between ${(share.low * 100).toFixed(1)} and ${(share.high * 100).toFixed(1)} %`
  return (
    <svg width={LENGTH} height="16" viewBox={`0 0 ${LENGTH} 16`} role="img" aria-label={told}>
      <title>{told}</title>
      <rect y="7" width={LENGTH} height="2" fill="var(--chakra-colors-edge)" />
      <rect
        x={share.low * LENGTH}
        y="5"
        width={Math.max(1, (share.high - share.low) * LENGTH)}
        height="6"
        fill="var(--chakra-colors-soft)"
      />
      <rect
        x={Math.min(LENGTH - 3, share.share * LENGTH - 1)}
        y="1"
        width="3"
        height="14"
        fill="var(--chakra-colors-ink)"
      />
    </svg>
  )
}

function Causes({ causes }: { causes: Schemas['CauseOut'][] }) {
  const most = causes[0]?.units ?? 1
  if (causes.length === 0) return <Text>Nothing failed.</Text>
  return (
    <DataTable
      label="What units failed of"
      rows={causes}
      keyOf={({ step, cause }) => `${step} ${cause}`}
      isNarrow
      columns={[
        { head: 'Failed at', cell: ({ title, step }) => title || step },
        { head: 'Cause', cell: ({ cause }) => words(cause) },
        { head: 'Units', isNumber: true, cell: ({ units }) => units },
        {
          head: '',
          cell: ({ units }) => <Box h="3" bg="bad" w={`${(120 * units) / most}px`} minW="2px" />,
        },
      ]}
    />
  )
}
