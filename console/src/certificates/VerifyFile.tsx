import { Box, Heading, Stack, Text } from '@chakra-ui/react'
import { type ChangeEvent, useId, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { Trouble } from '../parts/Trouble'
import { kindWords } from './standing'

type Verified = Schemas['VerifiedFile']

/** Is this file what was issued here, unchanged, and does it still count? */
export function VerifyFile() {
  const id = useId()
  const [found, setFound] = useState<{ name: string; told: Verified }>()
  const [trouble, setTrouble] = useState('')

  async function check(event: ChangeEvent<HTMLInputElement>) {
    const file = event.target.files?.[0]
    event.target.value = '' // the same file may be chosen again
    if (file === undefined) return
    setFound(undefined)
    setTrouble('')
    try {
      const told = await ask(
        api.POST('/api/v1/verify', {
          body: (await file.arrayBuffer()) as never,
          bodySerializer: (body) => body as never,
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      )
      setFound({ name: file.name, told })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <Stack as="section" gap="3" aria-label="Verify a file">
      <Heading as="h2" size="lg">
        Verify a file
      </Heading>
      <Box>
        <label htmlFor={id}>PDF or signed data (JSON) that somebody has: </label>
        <input id={id} type="file" accept=".pdf,.json" onChange={check} />
      </Box>
      {trouble && <Trouble text={trouble} />}
      {found && <Told name={found.name} told={found.told} />}
    </Stack>
  )
}

function Told({ name, told }: { name: string; told: Verified }) {
  const ink = told.counts ? 'good' : 'bad'
  const word = told.counts
    ? 'Genuine, and it counts'
    : told.genuine
      ? 'Genuine, but it counts no longer'
      : 'Not genuine'
  return (
    <Box role="status" bg="plate" borderWidth="1px" borderLeftWidth="5px" borderColor={ink} p="4">
      <Text fontWeight="bold" fontSize="lg" color={ink}>
        {word}
      </Text>
      <Text>
        {name}
        {told.number && `: ${kindWords(told.kind)} ${told.number}`}
        {told.serial && ` for ${told.serial}`}
        {told.from_bench && `, of ${told.from_bench}`}
      </Text>
      {told.revoked && <Text fontWeight="bold">{told.revoked}</Text>}
      {told.superseded_by && <Text fontWeight="bold">Superseded by {told.superseded_by}.</Text>}
      {told.approvals.map((each) => (
        <Text key={each.number}>
          Approved by {each.by} ({each.number}).
        </Text>
      ))}
      <Lines head="What is wrong" lines={told.faults} />
      <Lines head="What was checked" lines={told.checked} />
      <Lines head="What could not be" lines={told.unchecked} />
    </Box>
  )
}

function Lines({ head, lines }: { head: string; lines: string[] }) {
  if (lines.length === 0) return null
  return (
    <Box mt="3">
      <Text color="soft">{head}</Text>
      {lines.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
    </Box>
  )
}
