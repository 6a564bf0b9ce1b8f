import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useReducer } from 'react'
import { api, ask, type Run } from '../api/client'
import { after, type RunEvent, type RunState, stateOf } from './runState'
import { useRunEvents } from './useRunEvents'

export type Watched =
  | { at: 'pending' }
  | { at: 'error'; message: string }
  | { at: 'ready'; run: Run; state: RunState; isStale: boolean }

type Act = { kind: 'reset'; state: RunState } | { kind: 'events'; events: RunEvent[] }

function reduce(state: RunState | null, act: Act): RunState | null {
  // A record that says what the events said already must not wipe what they told since.
  if (act.kind === 'reset') return state?.state === act.state.state ? state : act.state
  return state === null ? null : act.events.reduce(after, state)
}

/** Whether a run has not begun yet. */
function isToCome(run: Run | undefined): boolean {
  return run?.state === 'created' || run?.state === 'armed'
}

/** Whether documents or papers of a run are still being made. */
function isComing(run: Run | undefined): boolean {
  return (
    run?.documents === 'coming' || (run?.units.some((each) => each.paper === 'coming') ?? false)
  )
}

/** Follow a run: its record, and its events as they come. */
export function useRun(runId: string): Watched {
  const queries = useQueryClient()
  const [state, dispatch] = useReducer(reduce, null)
  const found = useQuery({
    queryKey: ['run', runId],
    queryFn: () => ask(api.GET('/api/v1/runs/{run_id}', { params: { path: { run_id: runId } } })),
    // Others may arm and start a run: a series, somebody else, the foot switch, the units; and the
    // guard may drop its arming. Once it is over its documents and their papers come by themselves.
    refetchInterval: ({ state }) =>
      isToCome(state.data) ? 400 : isComing(state.data) ? 500 : false,
  })
  const run = found.data
  const isRunning = run?.state === 'running'

  useEffect(() => {
    if (run !== undefined) dispatch({ kind: 'reset', state: stateOf(run) })
  }, [run])

  const onEvents = useCallback(
    (events: RunEvent[]) => {
      dispatch({ kind: 'events', events })
      if (events.some((each) => each.name === 'finished')) {
        void queries.invalidateQueries({ queryKey: ['run', runId] })
      }
    },
    [runId, queries],
  )
  const isStale = useRunEvents(`/api/v1/runs/${runId}/events`, isRunning, onEvents)

  if (found.isError) return { at: 'error', message: found.error.message }
  if (run === undefined || state === null) return { at: 'pending' }
  return { at: 'ready', run, state, isStale: (isRunning || isToCome(run)) && isStale }
}
