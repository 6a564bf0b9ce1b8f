import { Text } from '@chakra-ui/react'
import type { Reading } from '../api/client'
import { VerdictShape, verdictInk, verdictWord } from './VerdictMark'

/** A reading's value within a table; one that did not pass says so. */
export function ReadingText({ reading, isBold = false }: { reading: Reading; isBold?: boolean }) {
  const isWrong = reading.limit !== '' && reading.verdict !== '' && reading.verdict !== 'pass'
  return (
    <Text
      as="span"
      display="inline-flex"
      alignItems="center"
      gap="1"
      fontWeight={isBold || isWrong ? 'bold' : 'normal'}
      color={isWrong ? verdictInk(reading.verdict) : undefined}
    >
      {isWrong && <VerdictShape verdict={reading.verdict} size={14} />}
      {isWrong && `${verdictWord(reading.verdict)} `}
      {reading.text}
    </Text>
  )
}
