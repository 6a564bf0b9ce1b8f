import { Box, Flex, Text } from '@chakra-ui/react'
import type { ReactNode } from 'react'

interface Props {
  nest: string
  serial: string
  ink: string
  children: ReactNode
}

/** A nest of the fixture as a plate with a cut corner; `ink` colours its upper edge. */
export function Plate({ nest, serial, ink, children }: Props) {
  return (
    <Box
      as="section"
      aria-label={`Nest ${nest}`}
      bg="plate"
      borderWidth="1px"
      borderTopWidth="6px"
      borderColor="edge"
      borderTopColor={ink}
      clipPath="polygon(0 0, calc(100% - 18px) 0, 100% 18px, 100% 100%, 0 100%)"
      p="4"
    >
      <Flex justify="space-between" align="baseline" pr="3" mb="2">
        <Text fontSize="2xl" fontWeight="bold">
          {nest}
        </Text>
        <Text>{serial}</Text>
      </Flex>
      {children}
    </Box>
  )
}
