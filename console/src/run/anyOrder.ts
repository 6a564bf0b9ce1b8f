import type { Run } from '../api/client'
import type { NestState } from './runState'

type Step = Pick<Run['steps'][number], 'id' | 'title' | 'order'>

/** What of the steps that come in any order a nest has still to do, beside the one under way. */
export function leftBeside(nest: Pick<NestState, 'stepId' | 'spans'>, steps: Step[]): string[] {
  const begun = new Set(nest.spans.map((span) => span.step))
  const group = groupsOf(steps).find((each) => each.some((step) => step.id === nest.stepId))
  return (group ?? []).filter((step) => !begun.has(step.id)).map((step) => step.title)
}

/** Neighbours that come in any order. */
function groupsOf(steps: Step[]): Step[][] {
  const groups: Step[][] = [[]]
  for (const step of steps) {
    if (step.order === 'any') groups.at(-1)?.push(step)
    else groups.push([])
  }
  return groups
}
