import { Text } from '@chakra-ui/react'
import type { Schemas } from '../api/client'
import { LINK } from '../parts/link'
import { words } from '../parts/words'

/** An answer as it was kept, with its photo if it has one. */
export function AnswerText({ answer }: { answer: Schemas['AnswerOut'] }) {
  return (
    <Text color="soft" fontSize="sm">
      {answer.question} <b>{answer.choice}</b>
      {answer.picture && (
        <a href={`/api/v1/pictures/${answer.picture}`} style={LINK}>
          {answer.choice ? ' photo' : 'photo'}
        </a>
      )}
      {answer.note && ` (${answer.note})`}, {answer.account}
      {Object.entries(answer.pictures ?? {}).map(([name, digest]) => (
        <a key={name} href={`/api/v1/pictures/${digest}`} style={LINK}>
          {` photo of ${words(name)}`}
        </a>
      ))}
    </Text>
  )
}
