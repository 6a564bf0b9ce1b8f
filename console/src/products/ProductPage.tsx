import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import { type Attempt, api, ask, Refused } from '../api/client'
import { type Finding, SchemaForm } from '../forms/SchemaForm'
import type { Schema, Value } from '../forms/schema'
import { useDraft } from '../forms/useDraft'
import { useSchema } from '../forms/useSchema'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { cableOf } from '../wiring/cable'
import { WiringView } from '../wiring/WiringView'
import { CableTable } from './CableTable'
import { OfferTable } from './OfferTable'
import { StandardsTable } from './StandardsTable'

const NOT_TESTED: Attempt[] = []

/** One product: what it is, and what standards ask of it. */
export default function ProductPage() {
  const { code = '' } = useParams()
  const [search] = useSearchParams()
  const isNew = search.has('new')
  const schema = useSchema('product')
  const product = useQuery({
    queryKey: ['products', code],
    queryFn: () => ask(api.GET('/api/v1/products/{code}', { params: { path: { code } } })),
    enabled: !isNew,
  })
  if (schema.isError) return <Trouble text={schema.error.message} />
  if (product.isError) return <Trouble text={product.error.message} />
  if (schema.data === undefined || (product.data === undefined && !isNew)) return <Waiting />
  const { revision, ...stored } = product.data ?? { revision: 0 }
  const empty = { format: 'loricate-product/2', code }
  return (
    <Editor
      key={`${code} ${revision}`}
      code={code}
      schema={schema.data}
      stored={isNew ? empty : stored}
      revision={Number(revision)}
    />
  )
}

interface EditorProps {
  code: string
  schema: Schema
  stored: Value
  revision: number
}

function Editor({ code, schema, stored, revision }: EditorProps) {
  const may = useMay()
  const go = useNavigate()
  const queries = useQueryClient()
  const draft = useDraft(`product ${code}`, stored, revision)
  const [findings, setFindings] = useState<Finding[]>([])
  const [trouble, setTrouble] = useState('')
  const cable = useMemo(() => cableOf(draft.document), [draft.document])

  async function store() {
    try {
      const params = { header: { 'if-match': `"${draft.basedOn}"` } }
      await ask(api.POST('/api/v1/products', { params, body: draft.document }))
      draft.drop()
      setFindings([])
      setTrouble('')
      await queries.invalidateQueries({ queryKey: ['products'] })
      await queries.invalidateQueries({ queryKey: ['offer', code] })
      go(`/products/${code}`, { replace: true })
    } catch (error) {
      setTrouble((error as Error).message)
      setFindings(error instanceof Refused ? (error.problem?.errors ?? []) : [])
    }
  }

  function copy() {
    const title = String(draft.document.title ?? '')
    const name = `${code}-COPY`
    const document = { ...draft.document, code: name, title: `${title}, copy` }
    localStorage.setItem(`loricate draft product ${name}`, JSON.stringify({ basedOn: 0, document }))
    go(`/products/${name}?new=1`)
  }

  return (
    <Stack gap="5">
      <Flex gap="4" align="center" wrap="wrap">
        <Heading as="h1" size="2xl">
          {code}
        </Heading>
        <Text color="soft">
          {revision === 0 ? 'not stored yet' : `revision ${revision}`}
          {draft.isChanged && ', with changes that are kept in this browser'}
        </Text>
        <Box flex="1" />
        {may.define && (
          <>
            <Button variant="outline" borderColor="edge" color="ink" onClick={copy}>
              Copy
            </Button>
            <Button
              variant="outline"
              borderColor="edge"
              color="ink"
              disabled={!draft.isChanged}
              onClick={draft.drop}
            >
              Drop changes
            </Button>
            <Button
              bg="act"
              color="act.ink"
              disabled={!draft.isChanged}
              onClick={() => void store()}
            >
              Store as revision {draft.basedOn + 1}
            </Button>
          </>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
      <Box bg="plate" borderWidth="1px" borderColor="edge" p="5">
        <SchemaForm
          schema={schema}
          defs={schema.$defs ?? {}}
          value={draft.document}
          onChange={draft.change}
          findings={findings}
          without={revision === 0 ? [] : ['code']}
          isLocked={!may.define}
        />
      </Box>
      {draft.document.family === 'cable' && (
        <CableTable
          code={code}
          isStored={revision > 0}
          document={draft.document}
          onChange={draft.change}
          onUndo={draft.undo}
          turn={draft.turn}
          findings={findings}
          isLocked={!may.define}
        />
      )}
      {cable !== null && (
        <Box bg="plate" borderWidth="1px" borderColor="edge" p="5">
          <WiringView cable={cable} attempts={NOT_TESTED} title="Wiring" />
        </Box>
      )}
      {revision > 0 && <OfferTable code={code} />}
      {revision > 0 && <StandardsTable code={code} />}
    </Stack>
  )
}
