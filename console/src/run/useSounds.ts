import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import type { Run } from '../api/client'
import { api, ask } from '../api/client'
import { play } from '../parts/sounds'
import { breaksSeen, OVER, type RunState } from './runState'

/** Sound the verdict when a run ends, if its line has it so; call for attention at a question, click at every break. */
export function useSounds(state: RunState, ends: Run['line']['sounds']): void {
  const site = useQuery({ queryKey: ['site'], queryFn: () => ask(api.GET('/api/v1/site')) })
  const sounds = site.data?.sounds
  const asked = state.questions[0]?.number ?? 0
  const isOver = OVER.includes(state.state)
  const wasToEnd = useRef(false) // a short one may be over before it was seen to run
  const breaks = breaksSeen(state)
  const heard = useRef(0)

  useEffect(() => {
    if (breaks > heard.current) play('break', sounds)
    heard.current = breaks
  }, [breaks, sounds])

  const refused = state.nests.map((each) => (each.cue?.isRefusal ? each.cue.text : '')).join('|')
  useEffect(() => {
    if (/[^|]/.test(refused)) play('refused', sounds)
  }, [refused, sounds])

  useEffect(() => {
    if (asked > 0) play('attention', sounds)
  }, [asked, sounds])

  useEffect(() => {
    if (!isOver) wasToEnd.current = true
    else if (wasToEnd.current) {
      wasToEnd.current = false
      const isPass = state.verdict === 'pass'
      if (ends === 'every' || ends === (isPass ? 'passes' : 'fails')) {
        play(isPass ? 'pass' : 'fail', sounds)
      }
    }
  }, [isOver, state.verdict, sounds, ends])
}
