import { Box, Flex, Grid, Heading, Stack, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useState } from 'react'
import { useNavigate } from 'react-router'
import { api, ask, type Run } from '../api/client'
import { KeyButton } from '../parts/KeyButton'
import { ReadingsTable } from '../parts/ReadingsTable'
import { Trouble } from '../parts/Trouble'
import { VerdictMark, verdictInk } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { NestTile } from './NestTile'
import { Plate } from './Plate'
import { QuestionBar } from './QuestionBar'
import type { RunState } from './runState'
import { useKey } from './useKey'
import { useRun } from './useRun'
import { useSounds } from './useSounds'

const OVER = ['finished', 'aborted', 'interrupted']

/** A run from its check to its verdict. */
export function RunBoard({ runId }: { runId: string }) {
  const watched = useRun(runId)
  if (watched.at === 'pending') return <Waiting />
  if (watched.at === 'error') return <Trouble text={watched.message} />
  return <Board {...watched} />
}

function Board({ run, state, isStale }: { run: Run; state: RunState; isStale: boolean }) {
  const isOver = OVER.includes(state.state)
  useSounds(state)
  return (
    <Stack gap="5">
      <Flex justify="space-between" align="center" gap="4" wrap="wrap" minH="20">
        <Box>
          <Heading as="h1" size="2xl">
            {run.sequence_code}
          </Heading>
          <Text color="soft">
            Revision {run.sequence_revision}, fixture {run.fixture}, {state.state}
          </Text>
        </Box>
        {isOver && (
          <Box aria-live="assertive" data-testid="verdict">
            <VerdictMark verdict={state.verdict} size="huge" />
          </Box>
        )}
        <Acts run={run} state={state} />
      </Flex>
      {isStale && (
        <Trouble text="The live view is cut off; values are old. It reconnects by itself." />
      )}
      {state.note && <Trouble text={state.note} />}
      <QuestionBar runId={run.id} nests={state.nests} />
      {isOver ? (
        <Results run={run} />
      ) : (
        <Grid templateColumns="repeat(auto-fill, minmax(17rem, 1fr))" gap="4">
          {state.nests.map((nest) => (
            <NestTile key={nest.nest} nest={nest} steps={run.steps} />
          ))}
        </Grid>
      )}
    </Stack>
  )
}

type Move = 'arm' | 'start' | 'abort'

function Acts({ run, state }: { run: Run; state: RunState }) {
  const navigate = useNavigate()
  const queries = useQueryClient()
  const [trouble, setTrouble] = useState('')
  const isOver = OVER.includes(state.state)

  const make = useCallback(
    async (move: Move) => {
      setTrouble('')
      const params = { path: { run_id: run.id } }
      try {
        // An answer still under way tells of the state before this move.
        await queries.cancelQueries({ queryKey: ['run', run.id] })
        const next = await ask(
          move === 'arm'
            ? api.POST('/api/v1/runs/{run_id}/arm', { params })
            : move === 'start'
              ? api.POST('/api/v1/runs/{run_id}/start', { params })
              : api.POST('/api/v1/runs/{run_id}/abort', { params }),
        )
        queries.setQueryData(['run', run.id], next)
      } catch (error) {
        setTrouble((error as Error).message)
        void queries.invalidateQueries({ queryKey: ['run', run.id] })
      }
    },
    [run.id, queries],
  )
  const arm = useCallback(() => void make('arm'), [make])
  const start = useCallback(() => void make('start'), [make])
  const abort = useCallback(() => void make('abort'), [make])
  const again = useCallback(() => {
    const kept = { sequence: run.sequence_code, fixture: run.fixture, lot: run.lot }
    void navigate(`/run?${new URLSearchParams(kept)}`)
  }, [navigate, run.sequence_code, run.fixture, run.lot])

  const canArm = state.state === 'created' || state.state === 'interrupted'
  useKey('F8', canArm, arm)
  useKey('F9', state.state === 'armed', start)
  useKey('Escape', !isOver, abort)
  useKey('F2', isOver, again)

  return (
    <Stack align="flex-end">
      <Flex gap="3">
        {canArm && (
          <KeyButton keyName="F8" bg="unsure" color="plate" onClick={arm}>
            {state.state === 'interrupted' ? 'Resume: arm high voltage' : 'Arm high voltage'}
          </KeyButton>
        )}
        {state.state === 'armed' && (
          <KeyButton keyName="F9" bg="act" color="act.ink" onClick={start}>
            Start
          </KeyButton>
        )}
        {!isOver && (
          <KeyButton keyName="Esc" bg="bad" color="plate" onClick={abort}>
            Abort
          </KeyButton>
        )}
        {isOver && (
          <KeyButton keyName="F2" bg="act" color="act.ink" onClick={again}>
            Next load
          </KeyButton>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}

function Results({ run }: { run: Run }) {
  return (
    <Stack gap="5">
      <Grid templateColumns="repeat(auto-fill, minmax(17rem, 1fr))" gap="4">
        {run.units.map((unit) => (
          <Plate
            key={unit.nest}
            nest={unit.nest}
            serial={unit.serial}
            ink={verdictInk(unit.verdict)}
          >
            <VerdictMark verdict={unit.verdict} cause={unit.cause} size="large" />
          </Plate>
        ))}
      </Grid>
      {run.units.map((unit) => (
        <Box key={unit.nest} bg="plate" borderWidth="1px" borderColor="edge" p="4">
          <Flex gap="6" align="center" wrap="wrap" mb="2">
            <Heading as="h2" size="lg">
              Nest {unit.nest}, {unit.serial}
            </Heading>
            <VerdictMark verdict={unit.verdict} cause={unit.cause} size="large" />
            {unit.certificate && (
              <a
                href={`/api/v1/certificates/${unit.certificate}/pdf`}
                style={{ color: 'var(--chakra-colors-act)', textDecoration: 'underline' }}
              >
                {unit.certificate_kind === 'certificate' ? 'Certificate' : 'Nonconformance report'}{' '}
                {unit.certificate}
              </a>
            )}
          </Flex>
          <ReadingsTable attempts={unit.attempts} label={`Readings of ${unit.serial}`} />
        </Box>
      ))}
    </Stack>
  )
}
