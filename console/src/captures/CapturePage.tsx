import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useMemo, useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { type Attempt, api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { LabelledInput } from '../parts/LabelledInput'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { netRows } from '../wiring/cable'
import { DRAWING } from '../wiring/look'
import { WiringDrawing } from '../wiring/WiringDrawing'
import { CaptureForm } from './CapturesPage'
import { CaptureTable } from './CaptureTable'
import { type Captured, cableOfCapture, changesOf, type Item, markedRows } from './captured'
import { WindingsDrawing } from './WindingsDrawing'

const NOT_TESTED: Attempt[] = []
type Decisions = Schemas['CaptureDecisions']

/** What was captured, as list and drawing, to be checked by eye and decided one by one. */
export default function CapturePage() {
  const moment = useMoment()
  const { id = '' } = useParams()
  const may = useMay()
  const queries = useQueryClient()
  const params = { path: { capture_id: id } }
  const found = useQuery({
    queryKey: ['captures', id],
    queryFn: () => ask(api.GET('/api/v1/captures/{capture_id}', { params })),
  })
  const [trouble, setTrouble] = useState('')
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const captured = found.data

  async function decide(body: Decisions) {
    try {
      const now = await ask(api.POST('/api/v1/captures/{capture_id}/decisions', { params, body }))
      queries.setQueryData(['captures', id], now)
      setTrouble('')
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  function decideOne(item: Item, choice: 'accepted' | 'refused', typed: Record<string, string>) {
    const changes = choice === 'accepted' ? changesOf(item, typed) : {}
    const isChanged = Object.keys(changes).length > 0
    void decide({
      decisions: [{ item: item.key, choice: isChanged ? 'changed' : choice, changes }],
      accept_others: false,
    })
  }

  return (
    <Stack gap="5">
      <Box>
        <Heading as="h1" size="2xl">
          Capture of {captured.units.map((each) => each.serial).join(' and ')}
        </Heading>
        <Text color="soft">
          {captured.units
            .map(
              (each) =>
                `${each.serial}: ${each.fixture}, nest ${each.nest}, ${each.instrument}, ` +
                `${moment(each.measured_at)} by ${each.account}`,
            )
            .join('. ')}
        </Text>
      </Box>
      <Told captured={captured} />
      {trouble && <Trouble text={trouble} />}
      <Flex gap="4" align="center" wrap="wrap">
        <Text fontSize="lg">
          {captured.open === 0
            ? 'Everything is decided.'
            : `${captured.open} of ${captured.items.length} are not decided yet.`}
        </Text>
        {may.define && captured.open > 0 && (
          <Button
            bg="act"
            color="act.ink"
            onClick={() => void decide({ decisions: [], accept_others: true })}
          >
            Accept all in which no units differ
          </Button>
        )}
      </Flex>
      {may.define && captured.open === 0 && <ProductForm capture={id} />}
      <Shown captured={captured} isLocked={!may.define} onDecide={decideOne} />
      {may.define && (
        <Box as="section" aria-label="Another unit">
          <Heading as="h2" size="md" mb="3">
            Capture another good unit beside it
          </Heading>
          <CaptureForm
            capture={id}
            positions={captured.positions.join(', ')}
            at={captured.units[0]?.fixture ?? ''}
          />
        </Box>
      )}
    </Stack>
  )
}

/** How units differ, and what could not be told. */
function Told({ captured }: { captured: Captured }) {
  const sentences = [...captured.differences, ...captured.remarks]
  if (sentences.length === 0) return null
  return (
    <Box as="ul" color="bad" ps="5" listStyleType="square" aria-label="What differs">
      {sentences.map((text) => (
        <li key={text}>{text}</li>
      ))}
    </Box>
  )
}

interface ShownProps {
  captured: Captured
  isLocked: boolean
  onDecide: (item: Item, choice: 'accepted' | 'refused', typed: Record<string, string>) => void
}

function Shown({ captured, isLocked, onDecide }: ShownProps) {
  const [chosen, setChosen] = useState('')
  return (
    <Box css={DRAWING}>
      <Box maxH="560px" overflow="auto" tabIndex={0} aria-label="Captured" mb="4">
        <CaptureTable
          captured={captured}
          chosen={chosen}
          isLocked={isLocked}
          onChoose={setChosen}
          onDecide={onDecide}
        />
      </Box>
      {captured.family === 'cable' ? (
        <DrawnCable captured={captured} chosen={chosen} onChoose={setChosen} />
      ) : (
        <Box overflow="auto" bg="plate">
          <WindingsDrawing captured={captured} chosen={chosen} onChoose={setChosen} />
        </Box>
      )}
    </Box>
  )
}

interface DrawnProps {
  captured: Captured
  chosen: string
  onChoose: (name: string) => void
}

function DrawnCable({ captured, chosen, onChoose }: DrawnProps) {
  const cable = useMemo(() => cableOfCapture(captured), [captured])
  const [position, setPosition] = useState(captured.positions[0] ?? '')
  const rows = useMemo(
    () => markedRows(netRows(cable, position, NOT_TESTED), captured),
    [cable, position, captured],
  )
  return (
    <>
      {captured.positions.length > 0 && (
        <Box mb="3" maxW="12rem">
          <Choice
            label="Drawn in position"
            value={position}
            onChange={setPosition}
            options={captured.positions}
          />
        </Box>
      )}
      <Box overflow="auto" bg="plate">
        <WiringDrawing
          cable={cable}
          position={position}
          rows={rows}
          faults={[]}
          chosen={chosen}
          onChoose={onChoose}
          zoom={1.3}
        />
      </Box>
    </>
  )
}

/** What the product is to be called; it is stored, and no sequence tests it yet. */
function ProductForm({ capture }: { capture: string }) {
  const go = useNavigate()
  const queries = useQueryClient()
  const [code, setCode] = useState('')
  const [title, setTitle] = useState('')
  const [trouble, setTrouble] = useState('')

  async function make(event: FormEvent) {
    event.preventDefault()
    try {
      const params = { path: { capture_id: capture } }
      const body = { code: code.trim(), title: title.trim() }
      const made = await ask(api.POST('/api/v1/captures/{capture_id}/draft', { params, body }))
      const header = { 'if-match': '"0"' } // there must be none of this code yet
      await ask(api.POST('/api/v1/products', { params: { header }, body: made.document }))
      await queries.invalidateQueries({ queryKey: ['products'] })
      go(`/products/${body.code}`)
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <form onSubmit={(event) => void make(event)} aria-label="Make it a product">
      <Flex gap="4" align="flex-end" wrap="wrap">
        <LabelledInput label="Code of the product" value={code} onChange={setCode} width="10rem" />
        <LabelledInput label="Title" value={title} onChange={setTitle} width="22rem" />
        <Button
          type="submit"
          bg="act"
          color="act.ink"
          disabled={code.trim() === '' || title.trim() === ''}
        >
          Make it a product
        </Button>
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </form>
  )
}
