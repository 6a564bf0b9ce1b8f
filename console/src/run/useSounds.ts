import { useEffect, useRef } from 'react'
import type { RunState } from './runState'
import { play } from './sounds'

/** Sound the verdict when a run that was seen running ends, and call for attention at a question. */
export function useSounds(state: RunState): void {
  const isAsking = state.nests.some((nest) => nest.question !== null)
  const wasRunning = useRef(false)

  useEffect(() => {
    if (isAsking) play('attention')
  }, [isAsking])

  useEffect(() => {
    if (state.state === 'running') wasRunning.current = true
    else if (wasRunning.current) {
      wasRunning.current = false
      play(state.verdict === 'pass' ? 'pass' : 'fail')
    }
  }, [state.state, state.verdict])
}
