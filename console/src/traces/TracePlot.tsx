import { Box, Checkbox, Flex, Text } from '@chakra-ui/react'
import { useQueries } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { quantityText } from '../parts/quantity'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { Curves } from './Curves'

export interface TraceKey {
  nest: string
  number: number
}

interface Props {
  runId: string
  step: string
  /** The attempts of the unit that is looked at; all of them are drawn. */
  own: TraceKey[]
  /** The same step of other units, to be laid over. */
  others: TraceKey[]
}

/** The curves of a step with its limits, and those of other nests laid over on request. */
export default function TracePlot({ runId, step, own, others }: Props) {
  const [added, setAdded] = useState<string[]>([])
  const [quantity, setQuantity] = useState('current')
  const keys = [...own, ...others.filter((each) => added.includes(each.nest))]
  const found = useQueries({
    queries: keys.map(({ nest, number }) => ({
      queryKey: ['trace', runId, nest, step, number],
      queryFn: () =>
        ask(
          api.GET('/api/v1/runs/{run_id}/traces/{nest}/{step}/{number}', {
            params: { path: { run_id: runId, nest, step, number } },
          }),
        ),
      staleTime: Number.POSITIVE_INFINITY,
    })),
  })
  const trouble = found.find((each) => each.isError)?.error
  if (trouble) return <Trouble text={trouble.message} />
  const traces = found.flatMap((each) => (each.data ? [each.data] : []))
  const first = traces[0]
  if (first === undefined) return <Waiting />
  const names = quantitiesOf(first)
  const shown = names.includes(quantity) ? quantity : (names[0] ?? '')
  return (
    <Box mt="4">
      <Flex gap="5" align="center" wrap="wrap" mb="2">
        <Choice
          label="Curve"
          width="14rem"
          value={shown}
          options={names.map((name): [string, string] => [name, name.replaceAll('_', ' ')])}
          onChange={setQuantity}
        />
        {others.length > 0 && <Text>Lay over</Text>}
        {others.map(({ nest }) => (
          <Checkbox.Root
            key={nest}
            checked={added.includes(nest)}
            onCheckedChange={({ checked }) =>
              setAdded(checked ? [...added, nest] : added.filter((each) => each !== nest))
            }
          >
            <Checkbox.HiddenInput />
            <Checkbox.Control borderColor="edge" />
            <Checkbox.Label>nest {nest}</Checkbox.Label>
          </Checkbox.Root>
        ))}
      </Flex>
      <Curves traces={traces} quantity={shown} />
      <Summary traces={traces} quantity={shown} />
    </Box>
  )
}

/** What can be drawn: the sampled quantities, and resistance where there are volts and amperes. */
function quantitiesOf(trace: Schemas['TraceOut']): string[] {
  const names = trace.columns.map((column) => column.name)
  return names.includes('voltage') && names.includes('current') ? [...names, 'U/I'] : names
}

/** The same in numbers, for who cannot see the curves. */
function Summary({ traces, quantity }: { traces: Schemas['TraceOut'][]; quantity: string }) {
  const rows = traces.map((trace) => {
    const { values, unit } = valuesOf(trace, quantity)
    return { trace, unit, known: values.filter((value) => value !== null) }
  })
  return (
    <DataTable
      label="Curves in numbers"
      rows={rows}
      keyOf={({ trace }) => `${trace.serial}-${trace.number}`}
      isNarrow
      columns={[
        {
          head: 'Curve',
          cell: ({ trace }) =>
            trace.number > 1 ? `${trace.serial}, attempt ${trace.number}` : trace.serial,
        },
        { head: 'Samples', isNumber: true, cell: ({ known }) => known.length },
        {
          head: 'Least',
          isNumber: true,
          cell: ({ known, unit }) => quantityText(Math.min(...known), unit),
        },
        {
          head: 'Greatest',
          isNumber: true,
          cell: ({ known, unit }) => quantityText(Math.max(...known), unit),
        },
        {
          head: 'Last',
          isNumber: true,
          cell: ({ known, unit }) => quantityText(known.at(-1) ?? Number.NaN, unit),
        },
      ]}
    />
  )
}

/** A quantity of a trace by name; resistance is volts over amperes, sample by sample. */
export function valuesOf(
  trace: Schemas['TraceOut'],
  quantity: string,
): {
  values: (number | null)[]
  unit: string
  minimum: number | null
  maximum: number | null
} {
  const column = (name: string) => trace.columns.find((each) => each.name === name)
  if (quantity !== 'U/I') {
    const found = column(quantity)
    return {
      values: found?.values ?? [],
      unit: found?.unit ?? '',
      minimum: found?.minimum ?? null,
      maximum: found?.maximum ?? null,
    }
  }
  const volts = column('voltage')?.values ?? []
  const amperes = column('current')?.values ?? []
  const values = volts.map((volt, index) => {
    const ampere = amperes[index]
    return volt && ampere ? Math.abs(volt / ampere) : null
  })
  return { values, unit: 'Ω', minimum: null, maximum: null }
}
