import { Button, Flex, Input, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask } from '../api/client'

/** Somebody has earthed the unit by hand and says how; only then may anything be used again. */
export function EarthedForm() {
  const queries = useQueryClient()
  const [note, setNote] = useState('')
  const [trouble, setTrouble] = useState('')
  async function confirm(event: FormEvent) {
    event.preventDefault()
    try {
      await ask(api.POST('/api/v1/bench/earthed', { body: { note } }))
      await queries.invalidateQueries({ queryKey: ['bench'] })
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }
  return (
    <form onSubmit={confirm}>
      <Flex px="5" pb="3" gap="3" align="center" wrap="wrap">
        <label htmlFor="earthed">What was earthed, and how?</label>
        <Input
          id="earthed"
          w="24rem"
          bg="plate"
          color="ink"
          autoComplete="off"
          placeholder="earthed nest 2 with the earthing stick"
          _placeholder={{ color: 'soft' }}
          value={note}
          onChange={(event) => setNote(event.target.value)}
        />
        <Button type="submit" bg="plate" color="ink" disabled={note.trim() === ''}>
          Confirm: earthed by hand
        </Button>
        {trouble && <Text role="alert">{trouble}</Text>}
      </Flex>
    </form>
  )
}
