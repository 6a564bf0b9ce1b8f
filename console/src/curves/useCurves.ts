import { useQueries } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import { drawnOf } from './drawn'

/** An attempt at a step of a unit in a run. */
export interface CurvesOf {
  runId: string
  nest: string
  step: string
  number: number
}

/** The curves of attempts; they never change, and are asked for once. */
export function useCurves(keys: CurvesOf[]) {
  return useQueries({
    queries: keys.map(({ runId, nest, step, number }) => ({
      queryKey: ['curves', runId, nest, step, number],
      queryFn: () =>
        ask(
          api.GET('/api/v1/runs/{run_id}/curves/{nest}/{step}/{number}', {
            params: { path: { run_id: runId, nest, step, number } },
          }),
        ),
      staleTime: Number.POSITIVE_INFINITY,
    })),
    combine: (found) => ({
      trouble: found.find((each) => each.isError)?.error ?? null,
      isWaiting: found.length > 0 && found.every((each) => each.data === undefined),
      drawn: drawnOf(found.flatMap((each) => (each.data ? [each.data] : []))),
      /** Those of each key, in their order; none where they are still to come. */
      each: found.map((one) => (one.data ? drawnOf([one.data]) : [])),
    }),
  })
}
