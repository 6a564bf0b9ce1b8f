import { Box, Button, Flex } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { LabelledInput } from './LabelledInput'
import { Trouble } from './Trouble'

interface Props {
  /** What is asked for. */
  label: string
  /** What is done then, and what it is not to be. */
  doIt: string
  leaveIt: string
  isPending: boolean
  trouble: Error | null
  onReason: (reason: string) => void
  onLeave: () => void
}

/** Asks why something is done before it is done; nothing is done without a reason. */
export function ReasonForm(props: Props) {
  const [reason, setReason] = useState('')
  function submit(event: FormEvent) {
    event.preventDefault()
    if (reason.trim()) props.onReason(reason.trim())
  }
  return (
    <form onSubmit={submit}>
      <Flex gap="3" align="end" wrap="wrap" bg="plate" borderWidth="1px" borderColor="act" p="4">
        <LabelledInput label={props.label} value={reason} onChange={setReason} />
        <Button type="submit" bg="act" color="act.ink" loading={props.isPending}>
          {props.doIt}
        </Button>
        <Button variant="outline" borderColor="edge" color="ink" onClick={props.onLeave}>
          {props.leaveIt}
        </Button>
        {props.trouble && (
          <Box w="100%">
            <Trouble text={props.trouble.message} />
          </Box>
        )}
      </Flex>
    </form>
  )
}
