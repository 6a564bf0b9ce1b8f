import {
  Box,
  Button,
  Checkbox,
  Flex,
  Grid,
  Input,
  NativeSelect,
  Stack,
  Text,
  Textarea,
} from '@chakra-ui/react'
import { useId, useState } from 'react'
import {
  departs,
  isForThis,
  lines,
  plain,
  put,
  type Schema,
  shapeOf,
  shown,
  type Value,
  words,
} from './schema'

export interface Finding {
  field: string
  message: string
}

interface FormProps {
  schema: Schema
  defs: Record<string, Schema>
  value: Value
  onChange: (value: Value) => void
  /** What was refused, by path; shown at its field. */
  findings?: Finding[]
  path?: string
  /** Fields that are not shown. */
  without?: string[]
  isLocked?: boolean
}

/** A form made from a JSON Schema: each property a field, with its default and what departs. */
export function SchemaForm({
  schema,
  defs,
  value,
  onChange,
  findings = [],
  path = '',
  without = [],
  isLocked = false,
}: FormProps) {
  const names = Object.keys(schema.properties ?? {}).filter(
    (name) => !without.includes(name) && isForThis(schema, name, value),
  )
  return (
    <Grid templateColumns="repeat(auto-fill, minmax(17rem, 1fr))" gap="4" alignItems="start">
      {names.map((name) => {
        const own = plain(schema.properties?.[name] ?? {}, defs)
        if (own.const !== undefined) return null
        const place = path ? `${path}.${name}` : name
        return (
          <Field
            key={name}
            name={name}
            schema={own}
            defs={defs}
            isNeeded={schema.required?.includes(name) ?? false}
            value={value[name]}
            onChange={(given) => onChange(put(value, name, given))}
            findings={findings}
            path={place}
            isLocked={isLocked}
          />
        )
      })}
    </Grid>
  )
}

interface FieldProps {
  name: string
  schema: Schema
  defs: Record<string, Schema>
  isNeeded: boolean
  value: unknown
  onChange: (value: unknown) => void
  findings: Finding[]
  path: string
  isLocked: boolean
}

function Field(props: FieldProps) {
  const { name, schema, defs, isNeeded, value, onChange, findings, path, isLocked } = props
  const id = useId()
  const shape = shapeOf(schema, defs)
  const title = schema.title ?? name
  const isWide = shape === 'rows' || shape === 'choices' || shape === 'group'
  const mine = findings.filter((each) => each.field === path)
  const isChanged = departs(value, schema)
  return (
    <Stack gap="1" gridColumn={isWide ? '1 / -1' : undefined}>
      <Flex gap="2" align="baseline">
        <label htmlFor={isWide ? undefined : id} id={`${id}-label`}>
          {title}
        </label>
        {isNeeded && (
          <Text as="span" color="soft" fontSize="sm">
            needed
          </Text>
        )}
        {isChanged && !isLocked && (
          <Button
            size="2xs"
            variant="outline"
            borderColor="unsure"
            color="unsure"
            aria-label={`${title}: changed, back to the default`}
            onClick={() => onChange(undefined)}
          >
            changed
          </Button>
        )}
      </Flex>
      <Control {...props} shape={shape} id={id} />
      {schema.description && (
        <Text fontSize="sm" color="soft">
          {schema.description}
        </Text>
      )}
      {mine.map((each) => (
        <Text key={each.message} color="bad" fontSize="sm" role="alert">
          {each.message}
        </Text>
      ))}
    </Stack>
  )
}

function Control(props: FieldProps & { shape: string; id: string }) {
  const { shape, id, schema, defs, value, onChange, isLocked } = props
  const fallback = schema.default === undefined ? '' : shown(schema.default)
  switch (shape) {
    case 'choice':
      return (
        <NativeSelect.Root disabled={isLocked}>
          <NativeSelect.Field
            id={id}
            bg="plate"
            borderColor="edge"
            value={shown(value)}
            onChange={(event) => onChange(chosen(schema, event.target.value))}
          >
            <option value="">{fallback === '' ? 'not given' : `default: ${tidy(fallback)}`}</option>
            {schema.enum?.map(String).map((each) => (
              <option key={each} value={each}>
                {tidy(each)}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )
    case 'choices':
      return <Choices {...props} />
    case 'flag':
      return (
        <Checkbox.Root
          checked={Boolean(value ?? schema.default)}
          disabled={isLocked}
          onCheckedChange={({ checked }) => onChange(checked === true ? true : undefined)}
        >
          <Checkbox.HiddenInput id={id} />
          <Checkbox.Control borderColor="edge" />
          <Checkbox.Label>yes</Checkbox.Label>
        </Checkbox.Root>
      )
    case 'rows':
      return <Rows {...props} />
    case 'group':
      return (
        <Box borderLeftWidth="3px" borderColor="edge" ps="4">
          <SchemaForm
            schema={schema}
            defs={defs}
            value={(value as Value | undefined) ?? {}}
            onChange={onChange}
            findings={props.findings}
            path={props.path}
            isLocked={isLocked}
          />
        </Box>
      )
    case 'words':
      return <Words {...props} />
    case 'lines':
      return <Lines {...props} />
    default:
      return (
        <Input
          id={id}
          bg="plate"
          borderColor="edge"
          autoComplete="off"
          readOnly={isLocked}
          inputMode={shape === 'number' ? 'numeric' : undefined}
          value={shown(value)}
          placeholder={fallback === '' ? example(schema) : fallback}
          _placeholder={{ color: 'soft' }}
          onChange={(event) => onChange(typed(event.target.value, shape))}
        />
      )
  }
}

function example(schema: Schema): string {
  return schema.examples?.length ? `such as ${String(schema.examples[0])}` : ''
}

function typed(text: string, shape: string): unknown {
  return shape === 'number' && text !== '' && !Number.isNaN(Number(text)) ? Number(text) : text
}

/** What was chosen as the schema has it: a number stays one. */
function chosen(schema: Schema, text: string): unknown {
  return schema.enum?.find((each) => String(each) === text) ?? text
}

/** A word of a document for people. */
export function tidy(word: string): string {
  return word.replaceAll('_', ' ')
}

/** A list typed between commas; what is being typed stays as it is. */
function Words({ id, schema, value, onChange, isLocked }: FieldProps & { id: string }) {
  const [text, setText] = useState(shown(value))
  const isSame = JSON.stringify(words(text)) === JSON.stringify(value ?? [])
  return (
    <Input
      id={id}
      bg="plate"
      borderColor="edge"
      autoComplete="off"
      readOnly={isLocked}
      value={isSame ? text : shown(value)}
      placeholder={schema.default === undefined ? 'between commas' : shown(schema.default)}
      _placeholder={{ color: 'soft' }}
      onChange={(event) => {
        setText(event.target.value)
        onChange(words(event.target.value))
      }}
    />
  )
}

/** Lists line by line; what is being typed stays as it is. */
function Lines({ id, value, onChange, isLocked }: FieldProps & { id: string }) {
  const now = ((value as string[][] | undefined) ?? []).map((line) => line.join(' ')).join('\n')
  const [text, setText] = useState(now)
  const isSame = JSON.stringify(lines(text)) === JSON.stringify(value ?? [])
  const rows = Math.min(12, Math.max(3, now.split('\n').length + 1))
  return (
    <Textarea
      id={id}
      bg="plate"
      borderColor="edge"
      autoComplete="off"
      spellCheck={false}
      readOnly={isLocked}
      rows={rows}
      value={isSame ? text : now}
      onChange={(event) => {
        setText(event.target.value)
        onChange(lines(event.target.value))
      }}
    />
  )
}

function Choices({ id, schema, defs, value, onChange, isLocked }: FieldProps & { id: string }) {
  const item = plain(schema.items ?? {}, defs)
  // One alone may stand in a document as it is; what is not written is as it is by default.
  const chosen = [value ?? schema.default ?? []].flat() as string[]
  return (
    <Flex gap="4" wrap="wrap" role="group" aria-labelledby={`${id}-label`}>
      {item.enum?.map(String).map((each) => (
        <Checkbox.Root
          key={each}
          checked={chosen.includes(each)}
          disabled={isLocked}
          onCheckedChange={({ checked }) =>
            onChange(checked ? [...chosen, each] : chosen.filter((other) => other !== each))
          }
        >
          <Checkbox.HiddenInput />
          <Checkbox.Control borderColor="edge" />
          <Checkbox.Label>{tidy(each)}</Checkbox.Label>
        </Checkbox.Root>
      ))}
    </Flex>
  )
}

function Rows(props: FieldProps & { id: string }) {
  const { schema, defs, value, onChange, path, findings, isLocked } = props
  const item = plain(schema.items ?? {}, defs)
  const rows = (value as Value[] | undefined) ?? []
  const title = (schema.title ?? props.name).toLowerCase()
  return (
    <Stack gap="3">
      {rows.map((row, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: rows have no name of their own until typed.
        <Flex key={index} gap="3" align="start" borderLeftWidth="3px" borderColor="edge" ps="4">
          <Box flex="1">
            <SchemaForm
              schema={item}
              defs={defs}
              value={row}
              onChange={(given) => onChange(rows.map((each, at) => (at === index ? given : each)))}
              findings={findings}
              path={`${path}[${index}]`}
              isLocked={isLocked}
            />
          </Box>
          {!isLocked && (
            <Button
              size="sm"
              variant="outline"
              borderColor="edge"
              color="ink"
              aria-label={`Remove ${index + 1} of ${title}`}
              onClick={() => onChange(rows.filter((_, at) => at !== index))}
            >
              Remove
            </Button>
          )}
        </Flex>
      ))}
      {!isLocked && (
        <Button
          size="sm"
          variant="outline"
          borderColor="edge"
          color="ink"
          alignSelf="start"
          onClick={() => onChange([...rows, {}])}
        >
          Add to {title}
        </Button>
      )}
    </Stack>
  )
}
