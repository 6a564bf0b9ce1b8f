import { Box, Heading, NativeSelect, Stack, Text } from '@chakra-ui/react'
import { useState } from 'react'
import { type Finding, SchemaForm, tidy } from '../forms/SchemaForm'
import { plain, put, type Schema, type Value } from '../forms/schema'
import { kindSchema, type Step } from './document'
import { FillForm } from './FillForm'

interface Props {
  schema: Schema
  product: string
  step: Step
  onChange: (step: Step) => void
  findings: Finding[]
  path: string
  isLocked: boolean
}

/** One step: what its kind needs, its limits with their sources, how it behaves. */
export function StepForm({ schema, product, step, onChange, findings, path, isLocked }: Props) {
  const defs = schema.$defs ?? {}
  const { settings: values = {}, ...rest } = step
  const changeSettings = (settings: Value) => onChange({ settings, ...(rest as Step) })
  const { settings, limits, needed } = kindSchema(schema, step.kind)
  const entry = plain(defs.LimitEntry ?? {}, defs)
  const [asked, setAsked] = useState<string[]>([])
  const isShown = (name: string) =>
    step.limits?.[name] !== undefined || [...asked, ...needed].includes(name)
  const shownLimits = limits.filter((name) => limits.length === 1 || isShown(name))
  const absent = limits.filter((name) => !shownLimits.includes(name))
  const own = findings.filter((each) => each.field === path || each.field === `${path}.limits`)
  return (
    <Stack gap="5" bg="plate" borderWidth="1px" borderColor="edge" p="5">
      <Heading as="h2" size="lg">
        {step.title || step.id}{' '}
        <Text as="span" color="soft" fontWeight="normal">
          {tidy(step.kind)}
        </Text>
      </Heading>
      {own.map((each) => (
        <Text key={each.message} color="bad" role="alert">
          {each.message}
        </Text>
      ))}
      {!isLocked && (
        <FillForm
          product={product}
          kind={step.kind}
          onFill={({ settings, limits }) => onChange({ ...step, limits, settings } as Step)}
        />
      )}
      <SchemaForm
        schema={settings}
        defs={defs}
        value={values}
        onChange={changeSettings}
        findings={findings}
        path={`${path}.settings`}
        isLocked={isLocked}
      />
      {shownLimits.map((name) => (
        <Box
          key={name}
          as="fieldset"
          borderTopWidth="1px"
          borderColor="edge"
          pt="3"
          aria-label={`Limit of ${tidy(name)}`}
        >
          <Text fontWeight="bold" mb="2">
            Limit of {tidy(name)}
          </Text>
          <SchemaForm
            schema={entry}
            defs={defs}
            value={step.limits?.[name] ?? {}}
            onChange={(value) => onChange({ ...step, limits: withLimit(step.limits, name, value) })}
            findings={findings.map((each) =>
              each.field === `${path}.limits.${name}`
                ? { ...each, field: `${path}.limits.${name}.source` }
                : each,
            )}
            path={`${path}.limits.${name}`}
            isLocked={isLocked}
          />
        </Box>
      ))}
      {!isLocked && absent.length > 0 && (
        <NativeSelect.Root width="16rem" size="sm">
          <NativeSelect.Field
            aria-label="Limit another reading"
            bg="plate"
            borderColor="edge"
            value=""
            onChange={(event) => setAsked([...asked, event.target.value])}
          >
            <option value="">Limit another reading …</option>
            {absent.map((name) => (
              <option key={name} value={name}>
                {tidy(name)}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )}
      <Box borderTopWidth="1px" borderColor="edge" pt="3">
        <Text fontWeight="bold" mb="2">
          How it behaves
        </Text>
        <SchemaForm
          schema={defs.Step ?? {}}
          defs={defs}
          value={step}
          onChange={(value) => onChange(value as Step)}
          findings={findings}
          path={path}
          without={['kind', 'settings', 'limits', 'off']}
          isLocked={isLocked}
        />
      </Box>
    </Stack>
  )
}

function withLimit(
  limits: Record<string, Value> | undefined,
  name: string,
  value: Value,
): Record<string, Value> {
  const given = Object.keys(value).length === 0 ? undefined : value
  return put(limits ?? {}, name, given) as Record<string, Value>
}
