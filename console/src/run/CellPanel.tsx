import { Box, Flex, Heading } from '@chakra-ui/react'
import { lazy, Suspense } from 'react'
import type { Run } from '../api/client'
import { ReadingsTable } from '../parts/ReadingsTable'
import { Waiting } from '../parts/Waiting'
import { AnswerText } from '../units/AnswerText'
import { LetGo } from '../units/LetGo'

const WiringSection = lazy(() => import('../wiring/WiringSection'))
const CurvePanel = lazy(() => import('../curves/CurvePanel'))

/** The readings of one step of one unit, every attempt of it, and their curves. */
export function CellPanel({ run, cell }: { run: Run; cell: string }) {
  const [nest = '', stepId = ''] = splitCell(cell)
  const unit = run.units.find((each) => each.nest === nest)
  const attempts = unit?.attempts.filter((each) => each.step_id === stepId) ?? []
  if (unit === undefined || attempts.length === 0) return null
  const others = run.units
    .filter((each) => each.nest !== nest)
    .flatMap((each) => {
      const latest = each.attempts.filter((one) => one.step_id === stepId).at(-1)
      return latest && latest.curves > 0 ? [{ nest: each.nest, number: latest.number }] : []
    })
  const own = attempts
    .filter((each) => each.curves > 0)
    .map((each) => ({ nest, number: each.number }))
  const answers = unit.answers.filter((each) => each.step_id === stepId)
  return (
    <Box
      as="section"
      aria-label={`Readings of nest ${nest}, ${attempts[0]?.title}`}
      bg="plate"
      borderWidth="1px"
      borderColor="act"
      p="4"
    >
      <Flex justify="space-between" mb="2">
        <Heading as="h2" size="lg">
          Nest {nest}, {unit.serial}
        </Heading>
      </Flex>
      <Suspense fallback={null}>
        <WiringSection product={unit.product} attempts={unit.attempts} />
      </Suspense>
      <LetGo unit={unit} />
      <ReadingsTable attempts={attempts} label={`Readings of ${unit.serial}`} />
      {answers.map((each) => (
        <AnswerText key={each.answered_at + each.question} answer={each} />
      ))}
      {own.length > 0 && (
        <Suspense fallback={<Waiting />}>
          <CurvePanel runId={run.id} step={stepId} own={own} others={others} />
        </Suspense>
      )}
    </Box>
  )
}

/** A cell's nest and step; a nest has no dot in its name, a step may. */
function splitCell(cell: string): [string, string] {
  const dot = cell.indexOf('.')
  return [cell.slice(0, dot), cell.slice(dot + 1)]
}
