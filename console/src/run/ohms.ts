import type { Look } from './runState'

const LEAST_A = 0.05

/** The resistance of a look at a source of current, in Ω; infinite where none flows, null without. */
export function ohmsOf(look: Look | undefined): number | null {
  const { voltage, current } = look?.values ?? {}
  if (look?.phase !== 'dwell' || voltage === undefined || current === undefined) return null
  return current < LEAST_A ? Number.POSITIVE_INFINITY : voltage / current
}

/** The greatest resistance that was seen in a course; null where none was. */
export function greatestOhms(course: Look[]): number | null {
  const seen = course.map(ohmsOf).filter((ohms): ohms is number => ohms !== null)
  return seen.length === 0 ? null : Math.max(...seen)
}
