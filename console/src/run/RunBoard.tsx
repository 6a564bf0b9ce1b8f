import { Box, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { api, ask, type Run } from '../api/client'
import { PaperLink } from '../certificates/PaperLink'
import { KeyButton } from '../parts/KeyButton'
import { quantityText } from '../parts/quantity'
import { Trouble } from '../parts/Trouble'
import { useKey } from '../parts/useKey'
import { VerdictMark, verdictInk } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { BeginsIn } from './BeginsIn'
import { CellPanel } from './CellPanel'
import { NestGrid } from './NestGrid'
import { NestTile } from './NestTile'
import { Plate } from './Plate'
import { ResultsTable } from './ResultsTable'
import { RunQuestion } from './RunQuestion'
import { isAsked, OVER, type RunState } from './runState'
import { Timeline } from './Timeline'
import { UnitActs } from './UnitActs'
import { useLeft } from './useLeft'
import { useRun } from './useRun'
import { useSounds } from './useSounds'

/** A run from its check to its verdict. */
export function RunBoard({ runId }: { runId: string }) {
  const watched = useRun(runId)
  if (watched.at === 'pending') return <Waiting />
  if (watched.at === 'error') return <Trouble text={watched.message} />
  return <Board {...watched} />
}

function Board({ run, state, isStale }: { run: Run; state: RunState; isStale: boolean }) {
  const isOver = OVER.includes(state.state)
  useSounds(state, run.line.sounds)
  return (
    <Stack gap="5">
      <Flex justify="space-between" align="center" gap="4" wrap="wrap" minH="20">
        <Box>
          <Heading as="h1" size="2xl">
            {run.sequence_code}
          </Heading>
          <Text color="soft">
            Revision {run.sequence_revision}, fixture {run.fixture},{' '}
            {state.residualV === null ? state.state : 'discharging'}
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
      {isOver && state.note && <Trouble text={state.note} />}
      {state.residualV !== null && (
        <Trouble
          text={`Discharging: ${quantityText(state.residualV, 'V')} left at a unit. Do not touch the fixture.`}
        />
      )}
      {!isOver && run.notices.length > 0 && (
        <Trouble text={`No unit of this run will be certified. ${run.notices.join(' ')}`} />
      )}
      <BeginsIn at={state.beginsAt} />
      <RunQuestion runId={run.id} product={run.units[0]?.product ?? ''} state={state} />
      {isOver ? (
        <Results run={run} state={state} />
      ) : (
        <>
          <NestGrid fixture={run.fixture}>
            {state.nests.map((nest) => (
              <NestTile
                key={nest.nest}
                nest={nest}
                steps={run.steps}
                isAsked={isAsked(state, nest.nest)}
                isCompact={state.nests.length > 4}
              />
            ))}
          </NestGrid>
          <Timeline nests={state.nests} isLive={state.state === 'running'} />
        </>
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
        // What was measured before an abort is in the record alone.
        if (move === 'abort') await queries.invalidateQueries({ queryKey: ['run', run.id] })
        else queries.setQueryData<Run>(['run', run.id], (was) => was && { ...was, ...next })
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

  const isWaiting = state.state === 'created' || state.state === 'interrupted'
  const mustArm = run.needs_arming || run.start_by !== 'key'
  const canArm = isWaiting && mustArm
  const canStart = state.state === 'armed' || (isWaiting && !mustArm)
  useKey('F8', canArm, arm)
  useKey('F9', canStart, start)
  useKey('Escape', !isOver, abort)
  useKey('F2', isOver, again)
  // Only what ended while it was looked at makes room: an old run that is opened stays.
  const wasLive = useRef(!isOver)
  const staysS = wasLive.current && state.verdict === 'pass' ? run.line.verdict_stays_s : 0
  const leftS = useLeft(isOver ? staysS : 0, again)

  return (
    <Stack align="flex-end">
      <Flex gap="3">
        {canArm && (
          <KeyButton keyName="F8" bg="unsure" color="plate" onClick={arm}>
            {state.state === 'interrupted' ? 'Resume: arm high voltage' : 'Arm high voltage'}
          </KeyButton>
        )}
        {canStart && (
          <KeyButton keyName="F9" bg="act" color="act.ink" onClick={start}>
            {state.state === 'interrupted' ? 'Resume' : 'Start'}
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
      {state.state === 'armed' && run.start_by !== 'key' && (
        <Text fontWeight="bold">
          {run.start_by === 'foot'
            ? 'Press the foot switch to start.'
            : 'Starts as soon as each nest holds its unit.'}
        </Text>
      )}
      {leftS > 0 && <Text color="soft">Next load in {leftS} s; any key or click keeps this.</Text>}
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}

/** The load after its run: each unit's verdict, the table of steps, and what is opened in it. */
function Results({ run, state }: { run: Run; state: RunState }) {
  const [query, setQuery] = useSearchParams()
  const cell = query.get('cell') ?? ''
  const step = cell.slice(cell.indexOf('.') + 1)
  function open(chosen: string) {
    setQuery(chosen ? { cell: chosen } : {}, { replace: true })
  }
  return (
    <Stack gap="5">
      <NestGrid fixture={run.fixture}>
        {run.units.map((unit) => (
          <Plate
            key={unit.nest}
            nest={unit.nest}
            serial={unit.serial}
            ink={verdictInk(unit.verdict)}
          >
            <VerdictMark verdict={unit.verdict} cause={unit.cause} size="large" />
            {unit.certificate && (
              <Text mt="2">
                <PaperLink
                  number={unit.certificate}
                  paper={unit.paper}
                  words={`${
                    unit.certificate_kind === 'certificate'
                      ? 'Certificate'
                      : 'Nonconformance report'
                  } ${unit.certificate}`}
                />
              </Text>
            )}
            {run.documents === 'coming' && unit.certificate === null && (
              <Text mt="2" color="soft" role="status">
                Documents are being issued.
              </Text>
            )}
            {unit.not_certified.length > 0 && (
              <Trouble text={`No certificate. ${unit.not_certified.join(' ')}`} />
            )}
            <Box mt="3">
              <UnitActs run={run} unit={unit} step={cell.startsWith(`${unit.nest}.`) ? step : ''} />
            </Box>
          </Plate>
        ))}
      </NestGrid>
      <ResultsTable run={run} open={cell} onOpen={open} />
      {cell ? (
        <CellPanel run={run} cell={cell} />
      ) : (
        <Text color="soft">Choose a step in the table to see its readings and curves.</Text>
      )}
      <Timeline nests={state.nests} isLive={false} />
    </Stack>
  )
}
