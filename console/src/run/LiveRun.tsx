import { Stack } from '@chakra-ui/react'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { NestGrid } from './NestGrid'
import { NestTile } from './NestTile'
import { RunQuestion } from './RunQuestion'
import { isAsked } from './runState'
import { useRun } from './useRun'
import { useSounds } from './useSounds'

/** A run as it goes, to its verdict: what is asked and the nests; heard as well. */
export function LiveRun({ runId }: { runId: string }) {
  const watched = useRun(runId)
  if (watched.at === 'pending') return <Waiting />
  if (watched.at === 'error') return <Trouble text={watched.message} />
  return <Nests {...watched} />
}

type Ready = Extract<ReturnType<typeof useRun>, { at: 'ready' }>

function Nests({ run, state, isStale }: Ready) {
  useSounds(state)
  return (
    <Stack gap="4">
      {isStale && (
        <Trouble text="The live view is cut off; values are old. It reconnects by itself." />
      )}
      <RunQuestion runId={run.id} product={run.units[0]?.product ?? ''} state={state} />
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
