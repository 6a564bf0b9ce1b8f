import { Box, Table, Text } from '@chakra-ui/react'
import type { CSSProperties } from 'react'
import type { Attempt, Run } from '../api/client'
import { telling } from '../parts/points'
import { VerdictMark, VerdictShape, verdictInk, verdictWord } from '../parts/VerdictMark'
import { NOT_TRIED } from './runState'

interface Props {
  run: Run
  /** The cell that is open, as `nest.step`. */
  open: string
  onOpen: (cell: string) => void
}

/** Units by steps: each cell opens the readings of that step. */
export function ResultsTable({ run, open, onOpen }: Props) {
  return (
    <Box bg="plate" borderWidth="1px" borderColor="edge" overflowX="auto">
      <Table.Root size="sm" aria-label="Units by steps" css={{ '& td, & th': { bg: 'plate' } }}>
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader color="soft">Nest</Table.ColumnHeader>
            <Table.ColumnHeader color="soft">Serial</Table.ColumnHeader>
            {run.steps.map((step) => (
              <Table.ColumnHeader key={step.id} color="soft">
                {step.title}
              </Table.ColumnHeader>
            ))}
            <Table.ColumnHeader color="soft">Verdict</Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {run.units.map((unit) => (
            <Table.Row key={unit.nest} color="ink">
              <Table.Cell fontWeight="bold" fontSize="lg">
                {unit.nest}
              </Table.Cell>
              <Table.Cell whiteSpace="nowrap">{unit.serial}</Table.Cell>
              {run.steps.map((step) => {
                const attempts = unit.attempts.filter((each) => each.step_id === step.id)
                const cell = `${unit.nest}.${step.id}`
                return (
                  <Table.Cell key={step.id} p="1">
                    <StepCell
                      attempts={attempts}
                      label={`${step.title}, nest ${unit.nest}`}
                      isOpen={open === cell}
                      onOpen={() => onOpen(open === cell ? '' : cell)}
                    />
                  </Table.Cell>
                )
              })}
              <Table.Cell minW="7rem">
                <VerdictMark verdict={unit.verdict} />
              </Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  )
}

/** Heard and not seen: what a button shows must be part of its name. */
const UNSEEN: CSSProperties = { position: 'absolute', clipPath: 'inset(50%)', overflow: 'hidden' }

interface CellProps {
  attempts: Attempt[]
  label: string
  isOpen: boolean
  onOpen: () => void
}

function StepCell({ attempts, label, isOpen, onOpen }: CellProps) {
  const latest = attempts.at(-1)
  if (latest === undefined) return null
  const decided =
    telling(latest.readings) ?? latest.readings.find((reading) => reading.limit !== '')
  const tried = attempts.filter((each) => !NOT_TRIED.includes(each.cause)).length
  const again = tried > 1 ? `, attempt ${tried}` : ''
  return (
    <button
      type="button"
      aria-expanded={isOpen}
      onClick={onOpen}
      style={{
        width: '100%',
        textAlign: 'left',
        padding: '4px 8px',
        cursor: 'pointer',
        border: `2px solid ${isOpen ? 'var(--chakra-colors-act)' : 'transparent'}`,
      }}
    >
      <span style={UNSEEN}>{label}: </span>
      <Text
        as="span"
        display="inline-flex"
        alignItems="center"
        gap="1.5"
        color={verdictInk(latest.verdict)}
        fontWeight="bold"
        fontSize="sm"
        whiteSpace="nowrap"
      >
        <VerdictShape verdict={latest.verdict} size={14} />
        {verdictWord(latest.verdict)}
        {again && ` (${tried})`}
      </Text>
      {decided && (
        <Text as="span" display="block" fontSize="sm" color="soft" whiteSpace="nowrap">
          {decided.text} {decided.point}
        </Text>
      )}
      <span style={UNSEEN}>, open readings</span>
    </button>
  )
}
