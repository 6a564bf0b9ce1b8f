import { Box, Text } from '@chakra-ui/react'
import { DataTable } from '../parts/DataTable'
import { quantityText, timeText } from '../parts/quantity'
import { words } from '../parts/words'
import { BOTH, type Drawn, nameOf, valuesOf } from './drawn'

/** A curve in figures: a row for each place of its x axis. */
export function FigureTable({ drawn }: { drawn: Drawn }) {
  const { x, columns } = drawn.curve
  const text = (value: number | null | undefined, unit: string) =>
    typeof value === 'number' ? quantityText(value, unit) : '–'
  return (
    <Box mt="3">
      <Text color="soft">{nameOf(drawn)}</Text>
      <DataTable
        label={`${words(drawn.curve.name)} of ${drawn.serial}`}
        rows={x.values.map((at, place) => ({ at, place }))}
        keyOf={({ place }) => String(place)}
        isNarrow
        columns={[
          {
            head: words(x.name),
            isNumber: true,
            cell: ({ at }) => (x.unit === 's' && at !== null ? timeText(at) : text(at, x.unit)),
          },
          ...columns.map((column) => ({
            head: words(column.name),
            isNumber: true,
            cell: ({ place }: { place: number }) => text(column.values[place], column.unit),
          })),
        ]}
      />
    </Box>
  )
}

/** The same in numbers, for who cannot see the curves. */
export function Summary({ drawn, quantity }: { drawn: Drawn[]; quantity: string }) {
  if (quantity === BOTH) {
    return ['voltage', 'current'].map((one) => <Summary key={one} drawn={drawn} quantity={one} />)
  }
  const rows = drawn.map((each) => {
    const { values, unit } = valuesOf(each.curve, quantity)
    return { name: nameOf(each), unit, known: values.filter((value) => value !== null) }
  })
  return (
    <DataTable
      label={`Curves in numbers, ${words(quantity)}`}
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
