import { Checkbox, Flex, Heading, NativeSelect, Stack, Table, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask } from '../api/client'
import { Trouble } from '../parts/Trouble'
import { words } from '../parts/words'

/** What two standards ask of a product, side by side. */
export function StandardsTable({ code }: { code: string }) {
  const [one, setOne] = useState('')
  const [other, setOther] = useState('')
  const [all, setAll] = useState(false)
  const isChosen = one !== '' && other !== ''
  const query = isChosen ? { one, other } : {}
  const found = useQuery({
    queryKey: ['standards', code, query],
    queryFn: () =>
      ask(api.GET('/api/v1/products/{code}/standards', { params: { path: { code }, query } })),
    placeholderData: (before) => before,
  })
  if (found.isError) return <Trouble text={found.error.message} />
  const standards = found.data?.standards ?? []
  const rows = (found.data?.rows ?? []).filter((row) => all || row.differs)
  return (
    <Stack gap="3">
      <Flex gap="5" align="center" wrap="wrap">
        <Heading as="h2" size="lg">
          Two standards compared
        </Heading>
        <Choice label="One standard" value={one} standards={standards} onChange={setOne} />
        <Choice
          label="The other standard"
          value={other}
          standards={standards}
          onChange={setOther}
        />
        <Checkbox.Root checked={all} onCheckedChange={({ checked }) => setAll(checked === true)}>
          <Checkbox.HiddenInput />
          <Checkbox.Control borderColor="edge" />
          <Checkbox.Label>with what both ask alike</Checkbox.Label>
        </Checkbox.Root>
      </Flex>
      {isChosen && (
        <Table.ScrollArea>
          <Table.Root size="sm" bg="plate" aria-label={`${one} and ${other}`}>
            <Table.Header>
              <Table.Row>
                <Table.ColumnHeader color="soft">Step</Table.ColumnHeader>
                <Table.ColumnHeader color="soft">What</Table.ColumnHeader>
                <Table.ColumnHeader color="soft">{one}</Table.ColumnHeader>
                <Table.ColumnHeader color="soft">{other}</Table.ColumnHeader>
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {rows.map((row) => (
                <Table.Row key={`${row.kind} ${row.reading} ${row.what}`} color="ink">
                  <Table.Cell verticalAlign="top">
                    {words(row.kind)} {words(row.reading)}
                  </Table.Cell>
                  <Table.Cell verticalAlign="top">{row.what}</Table.Cell>
                  <Asked texts={row.one} />
                  <Asked texts={row.other} />
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
      {isChosen && !found.isFetching && rows.length === 0 && (
        <Text>{all ? 'Neither asks anything of it.' : 'They ask the same of it.'}</Text>
      )}
    </Stack>
  )
}

function Asked({ texts }: { texts: string[] }) {
  return (
    <Table.Cell verticalAlign="top" whiteSpace="normal">
      {texts.length === 0 && <Text color="soft">nothing</Text>}
      {texts.map((each) => (
        <Text key={each}>{each}</Text>
      ))}
    </Table.Cell>
  )
}

interface ChoiceProps {
  label: string
  value: string
  standards: string[]
  onChange: (value: string) => void
}

function Choice({ label, value, standards, onChange }: ChoiceProps) {
  return (
    <NativeSelect.Root width="14rem" size="sm">
      <NativeSelect.Field
        aria-label={label}
        bg="plate"
        borderColor="edge"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      >
        <option value="">{label} …</option>
        {standards.map((each) => (
          <option key={each} value={each}>
            {each}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
