import { Box, Checkbox, Flex, Text } from '@chakra-ui/react'
import { useQueries } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { api, ask } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { quantityText } from '../parts/quantity'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { CurvePlot } from './CurvePlot'
import { type Drawn, drawnOf, nameOf, pointsOf, quantitiesOf, valuesOf } from './drawn'

export interface CurvesKey {
  nest: string
  number: number
}

interface Props {
  runId: string
  step: string
  /** The attempts of the unit that is looked at; all of them are drawn. */
  own: CurvesKey[]
  /** The same step of other units, to be laid over. */
  others: CurvesKey[]
}

const EVERY = 'every point'

/** The curves of a step with its limits, and those of other nests laid over on request. */
export default function CurvePanel({ runId, step, own, others }: Props) {
  const [added, setAdded] = useState<string[]>([])
  const [quantity, setQuantity] = useState('current')
  const [point, setPoint] = useState(EVERY)
  const keys = [...own, ...others.filter((each) => added.includes(each.nest))]
  const { trouble, isWaiting, drawn } = useCurves(runId, step, keys)
  const points = pointsOf(drawn)
  const chosen = useMemo(
    () => (point === EVERY ? drawn : drawn.filter(({ curve }) => curve.point === point)),
    [drawn, point],
  )
  if (trouble) return <Trouble text={trouble.message} />
  if (isWaiting) return <Waiting />
  const names = quantitiesOf(chosen)
  const shown = names.includes(quantity) ? quantity : (names[0] ?? '')
  return (
    <Box mt="4">
      <Flex gap="5" align="center" wrap="wrap" mb="2">
        <Choice
          label="Curve"
          width="14rem"
          value={shown}
          options={names.map((name): [string, string] => [name, words(name)])}
          onChange={setQuantity}
        />
        {points.length > 1 && (
          <Choice
            label="Point"
            width="14rem"
            value={point}
            options={[EVERY, ...points].map((each): [string, string] => [
              each,
              each || 'whole unit',
            ])}
            onChange={setPoint}
          />
        )}
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
      <CurvePlot drawn={chosen} quantity={shown} />
      <Summary drawn={chosen} quantity={shown} />
    </Box>
  )
}

/** The curves of attempts; they never change, and are asked for once. */
function useCurves(runId: string, step: string, keys: CurvesKey[]) {
  return useQueries({
    queries: keys.map(({ nest, number }) => ({
      queryKey: ['curves', runId, nest, step, number],
      queryFn: () =>
        ask(
          api.GET('/api/v1/runs/{run_id}/curves/{nest}/{step}/{number}', {
            params: { path: { run_id: runId, nest, step, number } },
          }),
        ),
      staleTime: Number.POSITIVE_INFINITY,
    })),
    combine: (found) => ({
      trouble: found.find((each) => each.isError)?.error ?? null,
      isWaiting: found.every((each) => each.data === undefined),
      drawn: drawnOf(found.flatMap((each) => (each.data ? [each.data] : []))),
    }),
  })
}

/** The same in numbers, for who cannot see the curves. */
function Summary({ drawn, quantity }: { drawn: Drawn[]; quantity: string }) {
  const rows = drawn.map((each) => {
    const { values, unit } = valuesOf(each.curve, quantity)
    return { name: nameOf(each), unit, known: values.filter((value) => value !== null) }
  })
  return (
    <DataTable
      label="Curves in numbers"
      rows={rows.filter(({ known }) => known.length > 0)}
      keyOf={({ name }) => name}
      isNarrow
      columns={[
        { head: 'Curve', cell: ({ name }) => name },
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
