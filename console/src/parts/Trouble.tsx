import { Box } from '@chakra-ui/react'

/** What went wrong, what was kept and what to try; read out at once by a screen reader. */
export function Trouble({ text }: { text: string }) {
  return (
    <Box
      role="alert"
      bg="bad.wash"
      color="ink"
      borderLeftWidth="4px"
      borderColor="bad"
      px="4"
      py="3"
    >
      {text}
    </Box>
  )
}
