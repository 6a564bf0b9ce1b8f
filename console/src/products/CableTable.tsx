import { Box, Button, Flex, Heading, Text } from '@chakra-ui/react'
import { useRef, useState } from 'react'
import { api, ask, Refused } from '../api/client'
import type { Finding } from '../forms/SchemaForm'
import type { Value } from '../forms/schema'
import { FromToGrid } from '../wiring/FromToGrid'

interface Props {
  code: string
  /** Whether there is a revision to save the list of. */
  isStored: boolean
  document: Value
  onChange: (document: Value) => void
  onUndo: () => void
  /** Goes up when the document changes from outside: the table starts afresh. */
  turn: number
  findings: Finding[]
  isLocked: boolean
}

/** The nets of a cable as a from-to list: typed, pasted, or taken from a file. */
export function CableTable(props: Props) {
  const { code, isStored, document, onChange, onUndo, turn, findings, isLocked } = props
  const [wrong, setWrong] = useState<Finding[]>([])
  const [taken, setTaken] = useState(0)
  const file = useRef<HTMLInputElement>(null)
  const section = (document.cable as Value | undefined) ?? {}

  async function take(text: string) {
    try {
      const found = await ask(
        api.POST('/api/v1/products/drafts/from-to', { body: { document, text } }),
      )
      setWrong([])
      onChange(found.document)
      setTaken((count) => count + 1)
    } catch (error) {
      const told = error instanceof Refused ? (error.problem?.errors ?? []) : []
      setWrong(told.length > 0 ? told : [{ field: 'list', message: (error as Error).message }])
    }
  }

  async function save() {
    const found = await ask(
      api.GET('/api/v1/products/{code}/from-to', { params: { path: { code } } }),
    )
    const link = globalThis.document.createElement('a')
    link.href = URL.createObjectURL(new Blob([found.text], { type: 'text/csv' }))
    link.download = `${code}.csv`
    link.click()
    URL.revokeObjectURL(link.href)
  }

  return (
    <Box as="section" aria-label="Nets" bg="plate" borderWidth="1px" borderColor="edge" p="5">
      <Flex gap="4" align="center" wrap="wrap" mb="3">
        <Heading as="h2" size="lg">
          Nets
        </Heading>
        <Box flex="1" />
        {isStored && (
          <Button
            size="sm"
            variant="outline"
            borderColor="edge"
            color="ink"
            onClick={() => void save()}
          >
            Save the stored list (CSV)
          </Button>
        )}
        {!isLocked && (
          <>
            <input
              ref={file}
              type="file"
              accept=".csv,text/csv,text/plain"
              aria-label="From-to list as CSV"
              hidden
              onChange={async (event) => {
                const chosen = event.target.files?.[0]
                event.target.value = ''
                if (chosen !== undefined) await take(await chosen.text())
              }}
            />
            <Button
              size="sm"
              variant="outline"
              borderColor="edge"
              color="ink"
              onClick={() => file.current?.click()}
            >
              Take a list in (CSV)
            </Button>
          </>
        )}
      </Flex>
      {wrong.length > 0 && (
        <Box role="alert" color="bad" mb="3">
          <Text fontWeight="bold">The list is not taken; nothing has changed.</Text>
          {wrong.map((each) => (
            <Text key={`${each.field} ${each.message}`}>
              {each.field}: {each.message}
            </Text>
          ))}
        </Box>
      )}
      <FromToGrid
        key={`${turn} ${taken}`}
        section={section}
        onChange={(cable) => onChange({ ...document, cable })}
        onUndo={onUndo}
        findings={findings}
        isLocked={isLocked}
      />
    </Box>
  )
}
