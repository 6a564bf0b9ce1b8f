import { Box, Button, Heading, Stack, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'

interface Props {
  code: string
  findings: Schemas['ReviewFindingOut'][]
  isChanged: boolean
}

/** Release the stored draft: why, and a reason for each error and warning that is left. */
export function ReleasePanel({ code, findings, isChanged }: Props) {
  const queries = useQueryClient()
  const [why, setWhy] = useState('')
  const [reasons, setReasons] = useState<Record<string, string>>({})
  const [trouble, setTrouble] = useState('')
  const keyOf = (each: { rule: string; step: string }) => `${each.rule}@${each.step}`
  const open = findings.filter((each) => each.severity !== 'note')
  const left = [...new Map(open.map((each) => [keyOf(each), each])).values()]
  const isAnswered = left.every((each) => (reasons[keyOf(each)] ?? '').trim().length > 2)

  async function submit(event: FormEvent) {
    event.preventDefault()
    try {
      const accepted = left.map(({ rule, step }) => ({
        rule,
        step,
        reason: reasons[keyOf({ rule, step })] ?? '',
      }))
      const params = { path: { code } }
      await ask(api.POST('/api/v1/sequences/{code}/release', { params, body: { why, accepted } }))
      await queries.invalidateQueries({ queryKey: ['sequences'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <Box as="section" aria-label="Release" bg="unsure.wash" p="5">
      <form onSubmit={submit}>
        <Stack gap="3">
          <Heading as="h2" size="lg">
            Release
          </Heading>
          {left.map((each) => (
            <LabelledInput
              key={keyOf(each)}
              label={`${each.step ? `${each.step}: ` : ''}${each.reason} Why is it left?`}
              value={reasons[keyOf(each)] ?? ''}
              onChange={(text) => setReasons({ ...reasons, [keyOf(each)]: text })}
            />
          ))}
          <LabelledInput label="What changed, and on what ground" value={why} onChange={setWhy} />
          {isChanged && (
            <Text>Store your changes first: what is released is the stored draft.</Text>
          )}
          {trouble && <Trouble text={trouble} />}
          <Button
            type="submit"
            alignSelf="start"
            bg="act"
            color="act.ink"
            disabled={isChanged || why.trim().length < 3 || !isAnswered}
          >
            Release this draft
          </Button>
        </Stack>
      </form>
    </Box>
  )
}
