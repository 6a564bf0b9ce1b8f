import { Box, Stack, Text } from '@chakra-ui/react'
import { useEffect } from 'react'
import { Link } from 'react-router'
import type { Run, Unit } from '../api/client'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { BeginsIn } from './BeginsIn'
import { NestGrid } from './NestGrid'
import { NestTile } from './NestTile'
import { RunQuestion } from './RunQuestion'
import { isAsked } from './runState'
import { useRun } from './useRun'
import { useSounds } from './useSounds'

interface Props {
  runId: string
  /** Told whether something waits to be answered. */
  onAsking: (isAsking: boolean) => void
}

/** A run as it goes, to its verdict: what is asked and the nests; heard as well. */
export function LiveRun({ runId, onAsking }: Props) {
  const watched = useRun(runId)
  const isAsking = watched.at === 'ready' && watched.state.questions.length > 0
  useEffect(() => {
    onAsking(isAsking)
    return () => onAsking(false)
  }, [isAsking, onAsking])
  if (watched.at === 'pending') return <Waiting />
  if (watched.at === 'error') return <Trouble text={watched.message} />
  return <Nests {...watched} />
}

type Ready = Extract<ReturnType<typeof useRun>, { at: 'ready' }>

function Nests({ run, state, isStale }: Ready) {
  useSounds(state, run.line.sounds)
  return (
    <Stack gap="4">
      {isStale && (
        <Trouble text="The live view is cut off; values are old. It reconnects by itself." />
      )}
      <BeginsIn at={state.beginsAt} />
      <RunQuestion runId={run.id} product={run.units[0]?.product ?? ''} state={state} />
      <Wrongs run={run} />
      <NestGrid fixture={run.fixture}>
        {state.nests.map((nest) => (
          <NestTile
            key={nest.nest}
            nest={nest}
            steps={run.steps}
            isAsked={isAsked(state, nest.nest)}
            isCompact
          />
        ))}
      </NestGrid>
    </Stack>
  )
}

const MOST_WRONGS = 6

/** What was found wrong with the units of a run that is over, in sentences. */
function Wrongs({ run }: { run: Run }) {
  const failed = run.units.filter((each) => run.state === 'finished' && each.verdict !== 'pass')
  if (failed.length === 0) return null
  return (
    <Box role="alert" bg="bad.wash" borderLeftWidth="4px" borderColor="bad" px="4" py="3">
      {failed.map((unit) => {
        const said = wrongsOf(unit)
        const more = said.length - MOST_WRONGS
        return (
          <Box key={unit.nest}>
            <Text fontWeight="bold">
              <Link to={`/run/${run.id}`} style={LINK}>
                Nest {unit.nest}, {unit.serial}
              </Link>
            </Text>
            {said.slice(0, MOST_WRONGS).map((each) => (
              <Text key={each}>{each}</Text>
            ))}
            {more > 0 && <Text color="soft">and {more} more</Text>}
          </Box>
        )
      })}
    </Box>
  )
}

function wrongsOf(unit: Unit): string[] {
  const bad = unit.attempts.filter(
    (each) => each.verdict === 'fail' || each.verdict === 'inconclusive',
  )
  const said = bad.flatMap((each) =>
    each.faults.length > 0
      ? each.faults.map((fault) => fault.text)
      : [`${each.title}: ${each.note || each.cause.replaceAll('_', ' ')}`],
  )
  return [...new Set(said)]
}
