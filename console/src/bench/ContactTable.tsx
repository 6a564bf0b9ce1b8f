import { Box, Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import type { Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'

type Fixture = Schemas['FixtureOut']
type Nest = [string, Record<string, number>]

/** Of more contacts a line each stays readable where columns would not. */
const FEW = 8

/** Where a fixture's contacts are wired to, the zero of each lead, and the matings of each nest. */
export function ContactTable({ fixture }: { fixture: Fixture }) {
  const nests = Object.entries(fixture.nests)
  const contacts = [...new Set(nests.flatMap(([, columns]) => Object.keys(columns)))]
  const zeroes = new Map(fixture.zeroes.map((each) => [`${each.nest} ${each.contact}`, each]))
  const matings = (nest: string) => (
    <Link
      to={`/units?${new URLSearchParams({ fixture: fixture.code, nest, since_renewal: 'true' })}`}
      style={LINK}
      title={`What nest ${nest} has had since its contacts were renewed`}
    >
      {fixture.matings[nest] ?? 0} of {fixture.mating_limit}
    </Link>
  )
  const zero = (nest: string, contact: string) => {
    const found = zeroes.get(`${nest} ${contact}`)
    if (found === undefined) return 'none'
    return (
      <Text color={found.is_young ? 'ink' : 'unsure'} whiteSpace="nowrap">
        {found.text}
        {!found.is_young && ', too old'}
      </Text>
    )
  }
  if (contacts.length <= FEW) {
    return (
      <DataTable
        label={`Wiring of ${fixture.code}`}
        rows={nests}
        keyOf={([nest]) => nest}
        isNarrow
        columns={[
          { head: 'Nest', cell: ([nest]) => <b>{nest}</b> },
          ...contacts.map((contact) => ({
            head: contact,
            isNumber: true,
            cell: ([, columns]: Nest) => columns[contact] ?? 'none',
          })),
          ...contacts.map((contact) => ({
            head: `${contact} zero`,
            isNumber: true,
            cell: ([nest]: Nest) => zero(nest, contact),
          })),
          { head: 'Matings', isNumber: true, cell: ([nest]) => matings(nest) },
        ]}
      />
    )
  }
  return (
    <>
      <DataTable
        label={`Nests of ${fixture.code}`}
        rows={nests}
        keyOf={([nest]) => nest}
        isNarrow
        columns={[
          { head: 'Nest', cell: ([nest]) => <b>{nest}</b> },
          {
            head: 'Contacts',
            isNumber: true,
            cell: ([, columns]) => Object.keys(columns).length,
          },
          { head: 'Zeroed', isNumber: true, cell: ([nest]) => zeroed(fixture, nest) },
          { head: 'Matings', isNumber: true, cell: ([nest]) => matings(nest) },
        ]}
      />
      <details>
        <summary>Matrix column and zero of each contact</summary>
        <Box maxH="420px" overflow="auto" tabIndex={0} role="region" aria-label="Contacts">
          <DataTable
            label={`Wiring of ${fixture.code}`}
            rows={contacts}
            keyOf={(contact) => contact}
            isNarrow
            columns={[
              { head: 'Contact', cell: (contact) => <b>{contact}</b> },
              ...nests.flatMap(([nest, columns]) => [
                {
                  head: `Nest ${nest}`,
                  isNumber: true,
                  cell: (contact: string) => columns[contact] ?? 'none',
                },
                {
                  head: `Zero ${nest}`,
                  isNumber: true,
                  cell: (contact: string) => zero(nest, contact),
                },
              ]),
            ]}
          />
        </Box>
      </details>
    </>
  )
}

function zeroed(fixture: Fixture, nest: string): string {
  const own = fixture.zeroes.filter((each) => each.nest === nest)
  const young = own.filter((each) => each.is_young).length
  return `${young} of ${Object.keys(fixture.nests[nest] ?? {}).length}`
}
