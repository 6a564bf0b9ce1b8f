import type { Reading } from '../api/client'

/** Readings of one quantity: a row a place, a column the circumstances it was measured under. */
export interface PointGrid {
  quantity: string
  columns: string[]
  rows: { place: string; cells: (Reading | undefined)[] }[]
}

export const PLAIN = 'normal'

/**
 * Points whose names part a place from circumstances by a comma, as grids; none where few do, or
 * where no place has several circumstances.
 * The order is that in which they first come.
 */
export function grids(readings: Reading[]): PointGrid[] {
  const points = readings.filter((each) => each.point !== '')
  const parted = points.filter((each) => each.point.includes(', '))
  if (parted.length * 2 < points.length) return []
  const found = [...new Set(points.map((each) => each.quantity))].map((quantity) => {
    const own = points.filter((each) => each.quantity === quantity)
    const columns = [...new Set(own.map((each) => split(each.point)[1]))]
    const rows = new Map<string, (Reading | undefined)[]>()
    for (const reading of own) {
      const [place, circumstances] = split(reading.point)
      const cells = rows.get(place) ?? columns.map(() => undefined)
      cells[columns.indexOf(circumstances)] = reading
      rows.set(place, cells)
    }
    return { quantity, columns, rows: [...rows].map(([place, cells]) => ({ place, cells })) }
  })
  return found.every((each) => each.columns.length < 2) ? [] : found
}

function split(point: string): [string, string] {
  const comma = point.indexOf(', ')
  return comma < 0 ? [point, PLAIN] : [point.slice(0, comma), point.slice(comma + 2)]
}
