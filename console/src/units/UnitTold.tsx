import { Flex, Image, Stack, Text } from '@chakra-ui/react'
import type { Unit } from '../api/client'
import { useMoment } from '../parts/useMoment'
import { AnswerText } from './AnswerText'

/** What people said of a unit: answers to questions, and remarks with their photos. */
export function UnitTold({ unit }: { unit: Unit }) {
  const moment = useMoment()
  if (unit.answers.length + unit.remarks.length === 0) return null
  return (
    <Stack gap="2" mt="3">
      {unit.answers.map((answer) => (
        <AnswerText key={answer.answered_at + answer.question} answer={answer} />
      ))}
      {unit.remarks.map((remark) => (
        <Flex key={remark.made_at + remark.text} gap="3" align="center">
          {remark.picture && (
            <a href={`/api/v1/pictures/${remark.picture}`}>
              <Image
                src={`/api/v1/pictures/${remark.picture}`}
                alt={`Photo: ${remark.text}`}
                maxH="6rem"
              />
            </a>
          )}
          <Text>
            {remark.step_id && `${remark.step_id}: `}
            {remark.text}
            <Text as="span" color="soft">
              {' '}
              {remark.account}, {moment(remark.made_at)}
            </Text>
          </Text>
        </Flex>
      ))}
    </Stack>
  )
}
