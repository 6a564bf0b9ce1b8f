import type { Attempt, Unit } from '../api/client'
import { measurand } from '../parts/words'

/** One attempt at a test on one date. */
export interface Tested {
  runId: string
  nest: string
  at: string
  verdict: string
  attempt: Attempt
}

/** The tests that were made of a unit, by the kind of their steps and their title. */
export function testsOf(units: Unit[]): [string, string][] {
  const found = new Map<string, string>()
  for (const unit of units) {
    for (const { kind, title, readings, curves } of unit.attempts) {
      if (readings.length + curves > 0 && !found.has(kind)) found.set(kind, title)
    }
  }
  return [...found]
}

/** The latest attempt of each run at a test, the oldest date first. */
export function datesOf(units: Unit[], kind: string): Tested[] {
  return units
    .flatMap((unit): Tested[] => {
      const attempt = unit.attempts.filter((each) => each.kind === kind).at(-1)
      if (attempt === undefined || attempt.readings.length + attempt.curves === 0) return []
      const { run_id: runId, nest, verdict } = unit
      return [{ runId, nest, at: attempt.started_at, verdict, attempt }]
    })
    .sort((a, b) => a.at.localeCompare(b.at))
}

export interface Row {
  name: string
  texts: (string | null)[]
  /** How far the newest is from the oldest, as a fraction of it. */
  change: number | null
}

/** What was read on each date, a row a measurand. */
export function rowsOf(dates: Tested[]): Row[] {
  const names = new Set(dates.flatMap(({ attempt }) => attempt.readings.map(measurand)))
  return [...names].map((name) => {
    const own = dates.map(({ attempt }) =>
      attempt.readings.find((each) => measurand(each) === name && each.repetition === 1),
    )
    const known = own.filter((each) => each?.bound === 'exact' && each.value !== null)
    const [first, last] = [known[0]?.value, known.at(-1)?.value]
    const isMoved = known.length > 1 && first && typeof last === 'number'
    return {
      name,
      texts: own.map((each) => each?.text ?? null),
      change: isMoved ? last / first - 1 : null,
    }
  })
}
