import { Text } from '@chakra-ui/react'

export function Waiting() {
  return (
    <Text color="soft" p="6" role="status">
      Loading…
    </Text>
  )
}
