import { Box, Text } from '@chakra-ui/react'
import { type Finding, SchemaForm, tidy } from '../forms/SchemaForm'
import { plain, type Schema, shown, type Value } from '../forms/schema'
import { useSchema } from '../forms/useSchema'

interface Props {
  value: Value
  onChange: (value: Value) => void
  /** What holds where nothing is said, in a few words. */
  otherwise: string
  /** Options that mean nothing here. */
  without?: string[]
  findings?: Finding[]
  isLocked?: boolean
}

/** Line options: in one line, opened where they are to be changed. */
export function LineForm({
  value,
  onChange,
  otherwise,
  without = [],
  findings = [],
  isLocked,
}: Props) {
  const sequence = useSchema('sequence')
  if (sequence.data === undefined) return null
  const defs = sequence.data.$defs ?? {}
  const schema = defs.LineOptions ?? {}
  return (
    <Box as="details" borderTopWidth="1px" borderColor="edge" pt="2">
      <Box as="summary" cursor="pointer">
        Line options
        <Text as="span" color="soft" ml="3">
          {toldLine(value, schema, defs) || otherwise}
        </Text>
      </Box>
      <Box mt="3">
        <SchemaForm
          schema={schema}
          defs={defs}
          value={value}
          onChange={onChange}
          findings={findings}
          path="line"
          without={without}
          isLocked={isLocked ?? false}
        />
      </Box>
    </Box>
  )
}

/** What is said of a line, in one line. */
export function toldLine(value: Value, schema: Schema, defs: Record<string, Schema>): string {
  return Object.keys(schema.properties ?? {})
    .filter((name) => shown(value[name]) !== '')
    .map((name) => {
      const title = plain(schema.properties?.[name] ?? {}, defs).title ?? name
      return `${title.toLowerCase()} ${tidy(shown(value[name]))}`
    })
    .join(', ')
}
