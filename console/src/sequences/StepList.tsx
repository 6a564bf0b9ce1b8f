import { Box, Button, Flex, NativeSelect, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { type DragEvent, type KeyboardEvent, useState } from 'react'
import { api, ask } from '../api/client'
import { tidy } from '../forms/SchemaForm'
import type { Schema } from '../forms/schema'
import {
  addAfter,
  freeId,
  glance,
  move,
  neighbour,
  type SequenceDocument,
  type Step,
} from './document'

const CLIPBOARD = 'loricate cut step'

interface Props {
  document: SequenceDocument
  schema: Schema
  selected: string
  onSelect: (id: string) => void
  onChange: (steps: Step[]) => void
  /** The gravest finding of each step, by id. */
  marks: Record<string, string>
  isLocked: boolean
}

/** The steps in their order: chosen, moved by drag or Alt with an arrow, cut and pasted. */
export function StepList({
  document,
  schema,
  selected,
  onSelect,
  onChange,
  marks,
  isLocked,
}: Props) {
  const { steps, product } = document
  const [dragged, setDragged] = useState('')
  const [cut, setCut] = useState(() => localStorage.getItem(CLIPBOARD))
  const step = steps.find((each) => each.id === selected)

  function add(made: Step) {
    const id = freeId(steps, made.id)
    onChange(addAfter(steps, selected, { ...made, id }))
    onSelect(id)
  }
  function remove() {
    onSelect(neighbour(steps, selected))
    onChange(steps.filter((each) => each.id !== selected))
  }
  function keep() {
    if (step === undefined) return
    localStorage.setItem(CLIPBOARD, JSON.stringify(step))
    setCut(JSON.stringify(step))
  }
  function press(event: KeyboardEvent, index: number) {
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key]
    if (by === undefined) return
    event.preventDefault()
    const own = steps[index]
    const other = steps[index + by]
    if (own === undefined || other === undefined) return
    if (event.altKey && !isLocked) onChange(move(steps, own.id, index + by))
    else onSelect(other.id)
    const row = event.currentTarget.parentElement?.children[index + by]
    if (row instanceof HTMLElement) row.focus()
  }
  function drop(event: DragEvent, index: number) {
    event.preventDefault()
    if (dragged) onChange(move(steps, dragged, index))
    setDragged('')
  }

  return (
    <Stack gap="3">
      <Box role="listbox" aria-label="Steps" bg="plate" borderWidth="1px" borderColor="edge">
        {steps.map((each, index) => (
          <Flex
            key={each.id}
            role="option"
            data-step={each.id}
            aria-selected={each.id === selected}
            tabIndex={each.id === selected ? 0 : -1}
            draggable={!isLocked}
            onDragStart={() => setDragged(each.id)}
            onDragOver={(event) => event.preventDefault()}
            onDrop={(event) => drop(event, index)}
            onClick={() => onSelect(each.id)}
            onKeyDown={(event) => press(event, index)}
            gap="3"
            px="3"
            py="2"
            cursor="pointer"
            borderLeftWidth="5px"
            borderColor={each.id === selected ? 'act' : 'transparent'}
            bg={each.id === selected ? 'sunk' : 'plate'}
            color={each.off ? 'soft' : 'ink'}
          >
            <Text color="soft" w="1.5rem" textAlign="right">
              {index + 1}
            </Text>
            <Box flex="1" textDecoration={each.off ? 'line-through' : 'none'}>
              <Text fontWeight="bold">{each.title || each.id}</Text>
              <Glance step={each} schema={schema} />
            </Box>
            {marks[each.id] !== undefined && (
              <Text
                fontSize="sm"
                fontWeight="bold"
                color={marks[each.id] === 'error' ? 'bad' : 'unsure'}
              >
                {marks[each.id]}
              </Text>
            )}
          </Flex>
        ))}
      </Box>
      {!isLocked && (
        <>
          <AddStep product={product} onAdd={add} />
          <Flex gap="2" wrap="wrap">
            <Act isOff={step === undefined} onAct={() => step && add(step)}>
              Duplicate
            </Act>
            <Act
              isOff={step === undefined}
              onAct={() =>
                onChange(steps.map((each) => (each.id === selected ? switched(each) : each)))
              }
            >
              {step?.off ? 'Switch on' : 'Switch off'}
            </Act>
            <Act
              isOff={step === undefined}
              onAct={() => {
                keep()
                remove()
              }}
            >
              Cut
            </Act>
            <Act isOff={cut === null} onAct={() => cut && add(JSON.parse(cut) as Step)}>
              Paste
            </Act>
            <Act isOff={step === undefined} onAct={remove}>
              Remove
            </Act>
          </Flex>
          <Text fontSize="sm" color="soft">
            Drag a step, or move it with Alt and an arrow. New steps come after the selected one.
          </Text>
        </>
      )}
    </Stack>
  )
}

/** What a step does and what it must come to, without opening it. */
function Glance({ step, schema }: { step: Step; schema: Schema }) {
  // A figure stays with its unit.
  const { level, limits } = glance(step, schema)
  const told = [
    tidy(step.kind),
    level,
    limits,
    step.order === 'any' ? 'in any order' : '',
    step.off ? 'switched off' : '',
  ].filter(Boolean)
  return (
    <Text fontSize="sm" color="soft">
      {told.join(', ').replace(/([\d≤≥]) (?=\S)/g, '$1\u00a0')}
    </Text>
  )
}

/** The step switched off, or on again. */
function switched(step: Step): Step {
  const { off, ...rest } = step
  return off ? rest : { ...rest, off: true }
}

interface ActProps {
  isOff: boolean
  onAct: () => void
  children: string
}

function Act({ isOff, onAct, children }: ActProps) {
  return (
    <Button
      size="sm"
      variant="outline"
      borderColor="edge"
      color="ink"
      disabled={isOff}
      onClick={onAct}
    >
      {children}
    </Button>
  )
}

/** Add a step of a kind that is on offer for the product. */
function AddStep({ product, onAdd }: { product: string; onAdd: (step: Step) => void }) {
  const offer = useQuery({
    queryKey: ['offer', product],
    queryFn: () =>
      ask(api.GET('/api/v1/products/{code}/offer', { params: { path: { code: product } } })),
    enabled: product !== '',
  })
  const kinds = (offer.data?.kinds ?? []).filter((kind) => kind.why_not === '')
  return (
    <NativeSelect.Root>
      <NativeSelect.Field
        aria-label="Add a step"
        bg="plate"
        borderColor="edge"
        value=""
        onChange={(event) => {
          const kind = event.target.value
          if (kind) onAdd({ id: kind, kind })
        }}
      >
        <option value="">Add a step of kind …</option>
        {kinds.map((kind) => (
          <option key={kind.name} value={kind.name}>
            {kind.title}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
