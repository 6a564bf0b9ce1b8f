import { Button, Flex, Input, Stack } from '@chakra-ui/react'
import { useId, useState } from 'react'
import { Choice } from '../parts/Choice'
import { FIELDS, type Field, type Names, shownFields, USUAL } from './search'

interface Props {
  query: URLSearchParams
  names: Names | undefined
  onChange: (name: string, values: string[]) => void
}

/** What a search is narrowed by: the usual fields, and others that are asked for by their name. */
export function SearchFields({ query, names, onChange }: Props) {
  const [added, setAdded] = useState<string[]>([])
  const shown = shownFields(query, added)
  const others = FIELDS.filter((each) => !shown.includes(each))

  function add(name: string) {
    const field = FIELDS.find((each) => each.name === name)
    if (field === undefined) return
    setAdded((kept) => [...kept, name])
    if (field.isFlag) onChange(name, ['true'])
    else if (field.choices?.[0]) onChange(name, [field.choices[0][0]])
  }

  function leave(name: string) {
    setAdded((kept) => kept.filter((each) => each !== name))
    onChange(name, [])
  }

  return (
    <>
      {shown.map((field) => (
        <Narrowing
          key={field.name}
          field={field}
          value={query.get(field.name) ?? ''}
          picks={field.names && names ? (names[field.names] as string[]) : []}
          onChange={(value) => onChange(field.name, value ? [value] : [])}
          onLeave={USUAL.includes(field.name) ? undefined : () => leave(field.name)}
        />
      ))}
      {others.length > 0 && (
        <Choice
          label="Narrow by"
          value=""
          width="11rem"
          options={[
            ['', 'something else'],
            ...others.map((f): [string, string] => [f.name, f.label]),
          ]}
          onChange={add}
        />
      )}
    </>
  )
}

function Narrowing({
  field,
  value,
  picks,
  onChange,
  onLeave,
}: {
  field: Field
  value: string
  picks: string[]
  onChange: (value: string) => void
  onLeave: (() => void) | undefined
}) {
  const id = useId()
  const leave = onLeave && (
    <Button
      size="xs"
      variant="ghost"
      color="soft"
      minW="6"
      px="1"
      aria-label={`Leave out ${field.label}`}
      onClick={onLeave}
    >
      ×
    </Button>
  )
  if (field.isFlag) {
    return (
      <Flex align="center" h="10" px="2" borderWidth="1px" borderColor="edge" bg="plate">
        {field.label}
        {leave}
      </Flex>
    )
  }
  return (
    <Stack gap="1" w={field.choices ? '15rem' : '9.5rem'}>
      <Flex justify="space-between" align="end" minH="6">
        <label htmlFor={id}>{field.label}</label>
        {leave}
      </Flex>
      {field.choices ? (
        <Choice
          label={field.label}
          isLabelHidden
          value={value}
          options={field.choices}
          onChange={onChange}
        />
      ) : (
        <Input
          id={id}
          list={picks.length > 0 ? `${id}-names` : undefined}
          bg="plate"
          borderColor="edge"
          autoComplete="off"
          inputMode={field.isNumber ? 'numeric' : undefined}
          value={value}
          placeholder={field.hint}
          _placeholder={{ color: 'soft' }}
          onChange={(event) =>
            onChange(field.isNumber ? event.target.value.replace(/\D/g, '') : event.target.value)
          }
        />
      )}
      {picks.length > 0 && (
        <datalist id={`${id}-names`}>
          {picks.map((each) => (
            <option key={each} value={each} />
          ))}
        </datalist>
      )}
    </Stack>
  )
}
