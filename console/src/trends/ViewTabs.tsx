import { Button, Flex } from '@chakra-ui/react'

interface Props {
  label: string
  value: string
  options: [string, string][]
  onChange: (value: string) => void
}

/** One of a few ways to look at the same thing. */
export function ViewTabs({ label, value, options, onChange }: Props) {
  return (
    <Flex gap="2" wrap="wrap" role="group" aria-label={label}>
      {options.map(([key, words]) => (
        <Button
          key={key}
          size="sm"
          variant="outline"
          aria-pressed={key === value}
          bg={key === value ? 'sunk' : 'plate'}
          borderColor={key === value ? 'act' : 'edge'}
          borderWidth={key === value ? '2px' : '1px'}
          color="ink"
          onClick={() => onChange(key)}
        >
          {words}
        </Button>
      ))}
    </Flex>
  )
}
