import { Text } from '@chakra-ui/react'
import { useNow } from './useNow'

/** How long a run that was started still waits before its first step; nothing otherwise. */
export function BeginsIn({ at }: { at: number | null }) {
  const now = useNow(at !== null)
  if (at === null) return null
  return (
    <Text role="status" fontSize="2xl" fontWeight="bold">
      Hands off: the first step begins in {Math.max(0, Math.ceil((at - now) / 1000))} s.
    </Text>
  )
}
