import type { Attempt, Reading } from '../api/client'

type Fault = Attempt['faults'][number]

/** One point of a unit: what was measured there, by quantity, and what was found wrong. */
export interface PointRow {
  point: string
  by: Partial<Record<string, Reading>>
  faults: Fault[]
  /** Whether anything there did not pass. */
  isWrong: boolean
}

/** A quantity of several points; its limit, and where that is from, where all have the same. */
export interface Quantity {
  name: string
  limit: string
  source: string
}

export interface PointTable {
  quantities: Quantity[]
  rows: PointRow[]
  /** What is of the unit as a whole. */
  whole: Reading[]
}

/** Readings as points by quantities, in their order; null where there are no several points. */
export function byPoint(readings: Reading[], faults: Fault[]): PointTable | null {
  const rows = new Map<string, PointRow>()
  const limits = new Map<string, Pick<Reading, 'limit' | 'source'>>()
  const rowOf = (point: string) => {
    const row = rows.get(point) ?? { point, by: {}, faults: [], isWrong: false }
    rows.set(point, row)
    return row
  }
  for (const reading of readings) {
    if (reading.point === '') continue
    const row = rowOf(reading.point)
    row.by[reading.quantity] = reading
    row.isWrong ||= reading.verdict !== '' && reading.verdict !== 'pass'
    const { limit, source } = limits.get(reading.quantity) ?? reading
    const isSame = limit === reading.limit && source === reading.source
    limits.set(reading.quantity, isSame ? { limit, source } : { limit: '', source: '' })
  }
  if (rows.size < 2) return null
  for (const fault of faults) {
    if (fault.point === '') continue
    const row = rowOf(fault.point)
    row.faults.push(fault)
    row.isWrong = true
  }
  return {
    quantities: [...limits].map(([name, { limit, source }]) => ({ name, limit, source })),
    rows: [...rows.values()],
    whole: readings.filter((each) => each.point === ''),
  }
}

/**
 * The reading that tells most of an attempt: of those that decided against it, else of all that
 * were judged, the closest to its limit of the quantity that comes first.
 */
export function telling(readings: Reading[]): Reading | undefined {
  const judged = readings.filter((each) => each.limit !== '' && each.verdict !== '')
  const gravest = ['fail', 'inconclusive', 'pass'].find((verdict) =>
    judged.some((each) => each.verdict === verdict),
  )
  const grave = judged.filter((each) => each.verdict === gravest)
  const mine = grave.filter((each) => each.quantity === grave[0]?.quantity)
  const margin = (each: Reading) => each.margin ?? Number.POSITIVE_INFINITY
  return mine.reduce<Reading | undefined>(
    (most, each) => (most === undefined || margin(each) < margin(most) ? each : most),
    undefined,
  )
}
