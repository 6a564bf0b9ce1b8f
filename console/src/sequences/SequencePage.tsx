import { Box, Button, Flex, Grid, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import { api, ask, Refused } from '../api/client'
import { type Finding, SchemaForm } from '../forms/SchemaForm'
import { put, type Schema } from '../forms/schema'
import { useDraft } from '../forms/useDraft'
import { useSchema } from '../forms/useSchema'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { LineForm } from '../run/LineForm'
import { useMay } from '../session/SessionProvider'
import { ChallengePanel } from './ChallengePanel'
import { replace, type SequenceDocument, type Step, written } from './document'
import { RehearsalPanel } from './RehearsalPanel'
import { ReleasePanel } from './ReleasePanel'
import { ReviewPanel } from './ReviewPanel'
import { RevisionsPanel } from './RevisionsPanel'
import { StepForm } from './StepForm'
import { StepList } from './StepList'
import { useReview } from './useReview'

/** One sequence: its steps, what the review and the challenge say, its revisions. */
export default function SequencePage() {
  const { code = '' } = useParams()
  const [search] = useSearchParams()
  const newFor = search.get('new') ?? ''
  const schema = useSchema('sequence')
  const found = useQuery({
    queryKey: ['sequences', code],
    queryFn: () => ask(api.GET('/api/v1/sequences/{code}', { params: { path: { code } } })),
    enabled: newFor === '',
  })
  if (schema.isError) return <Trouble text={schema.error.message} />
  if (found.isError) return <Trouble text={found.error.message} />
  if (schema.data === undefined || (found.data === undefined && newFor === '')) return <Waiting />
  const empty = {
    format: 'loricate-sequence/2',
    code,
    title: code,
    product: newFor,
    steps: [],
  }
  return (
    <Editor
      key={`${code} ${found.data?.etag ?? 'new'}`}
      schema={schema.data}
      stored={(found.data?.document as SequenceDocument | undefined) ?? empty}
      revision={found.data?.revision ?? 0}
      status={found.data?.status ?? 'not stored yet'}
      etag={found.data?.etag ?? '"0.0"'}
    />
  )
}

interface EditorProps {
  schema: Schema
  stored: SequenceDocument
  revision: number
  status: string
  etag: string
}

function Editor({ schema, stored, revision, status, etag }: EditorProps) {
  const { code } = stored
  const may = useMay()
  const go = useNavigate()
  const queries = useQueryClient()
  const [search, setSearch] = useSearchParams()
  const draft = useDraft(`sequence ${code}`, stored, etag)
  const document = draft.document as SequenceDocument
  const [refused, setRefused] = useState<Finding[]>([])
  const [trouble, setTrouble] = useState('')
  const review = useReview(document)
  const isLocked = !may.define
  // Held here and only mirrored in the address, which follows a moment later: what is pressed right
  // after a step was added or duplicated must not meet the step that was selected before.
  const [chosen, setChosen] = useState(search.get('step'))
  const selected = chosen ?? document.steps[0]?.id ?? ''
  const index = document.steps.findIndex((step) => step.id === selected)
  const step = document.steps[index]
  const findings = review.refused.length > 0 ? review.refused : refused

  function select(id: string) {
    setChosen(id)
    setSearch((before) => {
      const next = new URLSearchParams(before)
      next.set('step', id)
      return next
    })
  }
  function change(next: Partial<SequenceDocument>) {
    draft.change({ ...document, ...next })
  }
  const { undo, canUndo } = draft
  useEffect(() => {
    function press(event: KeyboardEvent) {
      const isTyping = event.target instanceof HTMLInputElement
      if (event.key === 'z' && (event.ctrlKey || event.metaKey) && canUndo && !isTyping) {
        event.preventDefault()
        undo()
      }
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  }, [undo, canUndo])

  async function store() {
    try {
      const params = { header: { 'if-match': draft.basedOn } }
      await ask(api.POST('/api/v1/sequences', { params, body: document }))
      draft.drop()
      setRefused([])
      setTrouble('')
      await queries.invalidateQueries({ queryKey: ['sequences'] })
      go(`/sequences/${code}?step=${selected}`, { replace: true })
    } catch (error) {
      setTrouble((error as Error).message)
      setRefused(error instanceof Refused ? (error.problem?.errors ?? []) : [])
    }
  }

  return (
    <Stack gap="5">
      <Flex gap="4" align="center" wrap="wrap">
        <Heading as="h1" size="2xl">
          {code}
        </Heading>
        <Text color="soft">
          {revision > 0 && `revision ${revision}, `}
          {status}
          {draft.isChanged && '; changes are kept in this browser'}
        </Text>
        <Box flex="1" />
        {revision > 0 && (
          <>
            <a href={`/api/v1/sequences/${code}/file`} download style={LINK}>
              TOML file
            </a>
            <a
              href={`/api/v1/sequences/${code}/label`}
              target="_blank"
              rel="noreferrer"
              style={LINK}
            >
              Label
            </a>
          </>
        )}
        {may.define && (
          <>
            <Button
              variant="outline"
              borderColor="edge"
              color="ink"
              disabled={!canUndo}
              onClick={undo}
            >
              Undo
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
              Store as a draft
            </Button>
          </>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
      <SchemaForm
        schema={schema}
        defs={schema.$defs ?? {}}
        value={document}
        onChange={(value) => draft.change(value)}
        findings={findings}
        without={['code', 'steps', 'format', 'line']}
        isLocked={isLocked}
      />
      <LineForm
        value={document.line ?? {}}
        onChange={(line) => draft.change(put(document, 'line', line))}
        otherwise="nothing said: as usual"
        findings={findings}
        isLocked={isLocked}
      />
      <Grid templateColumns={{ base: '1fr', lg: '22rem 1fr' }} gap="5" alignItems="start">
        <Stack gap="5">
          <StepList
            document={document}
            schema={schema}
            selected={selected}
            onSelect={select}
            onChange={(steps: Step[]) => change({ steps })}
            marks={review.marks}
            isLocked={isLocked}
          />
          <ReviewPanel review={review} onSelect={select} />
        </Stack>
        {step === undefined ? (
          <Text>No step yet. Add the first one on the left.</Text>
        ) : (
          <StepForm
            product={document.product}
            key={`${selected} ${draft.turn}`}
            schema={schema}
            step={step}
            onChange={(next) => {
              change({ steps: replace(document.steps, step.id, next) })
              if (next.id !== step.id) select(next.id)
            }}
            findings={findings}
            path={`steps[${index}]`}
            isLocked={isLocked}
          />
        )}
      </Grid>
      {may.define && (
        <RehearsalPanel
          document={document}
          selected={step?.id ?? ''}
          onTake={(id, taken) => {
            const own = document.steps.find((each) => each.id === id)
            if (own === undefined) return false
            const next = taken.reduce((was, { path, value }) => written(was, path, value), own)
            change({ steps: replace(document.steps, id, next) })
            select(id)
            return true
          }}
        />
      )}
      {may.define && <ChallengePanel document={document} />}
      {may.define && status === 'draft' && (
        <ReleasePanel
          code={code}
          findings={review.data?.findings ?? []}
          isChanged={draft.isChanged}
        />
      )}
      {revision > 0 && <RevisionsPanel code={code} newest={revision} />}
    </Stack>
  )
}
