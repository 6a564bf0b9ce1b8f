import { Flex } from '@chakra-ui/react'
import { Choice } from '../parts/Choice'
import { GROUPS, keyOf, type Measurand, nameOf } from './trend'

interface Props {
  query: URLSearchParams
  found: Measurand[]
  chosen: Measurand
  onChange: (changed: Record<string, string>) => void
}

/** Which reading is looked at, of which attempts, and what is held against what. */
export function MeasurandChoice({ query, found, chosen, onChange }: Props) {
  return (
    <Flex gap="3" wrap="wrap" align="end" mb="3">
      <Choice
        label="Reading"
        width="24rem"
        value={keyOf(chosen)}
        options={found.map((each): [string, string] => [keyOf(each), nameOf(each)])}
        onChange={(key) => {
          const wanted = found.find((each) => keyOf(each) === key)
          if (wanted === undefined) return
          const { step, quantity, point } = wanted
          onChange({ step, quantity, point })
        }}
      />
      <Choice
        label="Compare by"
        width="10rem"
        value={query.get('by') ?? ''}
        options={GROUPS}
        onChange={(by) => onChange({ by })}
      />
      <Choice
        label="Attempts"
        width="11rem"
        value={query.get('which') ?? ''}
        options={[
          ['', 'the last of each'],
          ['first', 'the first of each'],
          ['all', 'all'],
        ]}
        onChange={(which) => onChange({ which })}
      />
      <Choice
        label="Reckoned in"
        width="11rem"
        value={query.get('scale') ?? ''}
        options={[
          ['', 'as is usual'],
          ['straight', 'readings'],
          ['decades', 'decades'],
        ]}
        onChange={(scale) => onChange({ scale })}
      />
      <Choice
        label="Limits of the chart from"
        width="12rem"
        value={query.get('base') ?? ''}
        options={[
          ['', 'all readings'],
          ['10', 'the first 10'],
          ['20', 'the first 20'],
          ['50', 'the first 50'],
          ['100', 'the first 100'],
        ]}
        onChange={(base) => onChange({ base })}
      />
    </Flex>
  )
}
