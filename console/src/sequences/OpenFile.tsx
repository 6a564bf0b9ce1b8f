import { Stack } from '@chakra-ui/react'
import { type ChangeEvent, useState } from 'react'
import { useNavigate } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { hasDraft, keepDraft } from '../forms/useDraft'
import { Trouble } from '../parts/Trouble'
import type { SequenceDocument } from './document'

/** Opens a TOML file as changes of the sequence that it names; nothing is stored by that. */
export function OpenFile({ stored }: { stored: Schemas['SequenceSummary'][] }) {
  const [trouble, setTrouble] = useState('')
  const go = useNavigate()

  async function open(event: ChangeEvent<HTMLInputElement>) {
    const { target } = event
    const file = target.files?.[0]
    if (file === undefined) return
    setTrouble('')
    try {
      const document = (await ask(
        api.POST('/api/v1/sequences/read', {
          body: (await file.text()) as never,
          bodySerializer: (body: unknown) => body as string,
          headers: { 'Content-Type': 'application/toml' },
        }),
      )) as SequenceDocument
      const { code, product } = document
      const known = stored.find((each) => each.code === code)
      if (hasDraft(`sequence ${code}`)) {
        setTrouble(
          `This browser keeps changes of ${code} already; store or drop them there, then open the file again.`,
        )
        return
      }
      keepDraft(`sequence ${code}`, document, known?.etag ?? '"0.0"')
      go(known === undefined ? `/sequences/${code}?new=${product}` : `/sequences/${code}`)
    } catch (error) {
      setTrouble((error as Error).message)
    } finally {
      target.value = ''
    }
  }

  return (
    <Stack gap="1">
      <label htmlFor="open-file">Open a TOML file</label>
      <input id="open-file" type="file" accept=".toml" onChange={(event) => void open(event)} />
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}
