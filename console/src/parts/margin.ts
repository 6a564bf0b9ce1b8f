import type { Reading } from '../api/client'

/** Where one-sided limits stand on a bar, as a fraction of its length. */
export const LIMIT_AT = 0.8

/**
 * Where on a bar from 0 to 1 a reading sits. With a maximum alone the limit stands at `LIMIT_AT`
 * and the reading at its share of it; with a minimum alone the limit stands as far from the other
 * end, and the reading the further to the right of it the more it has; with both, between them.
 * Null without a limit or a value.
 */
export function placeOnBar(reading: Pick<Reading, 'value' | 'minimum' | 'maximum'>): number | null {
  const { value, minimum, maximum } = reading
  if (value === null || (minimum === null && maximum === null)) return null
  const inside = (place: number) => Math.min(1, Math.max(0, place))
  if (minimum !== null && maximum !== null) {
    return inside((value - minimum) / (maximum - minimum))
  }
  if (maximum !== null) return inside((LIMIT_AT * value) / maximum)
  return value <= 0 ? 0 : inside(1 - (LIMIT_AT * (minimum ?? 0)) / value)
}

/** A margin for people, in percent of the limit. */
export function marginText(margin: number | null): string {
  if (margin === null) return ''
  if (Math.abs(margin) > 9.99) return margin > 0 ? '> +999 %' : '< −999 %'
  return `${margin < 0 ? '−' : '+'}${Math.abs(margin * 100).toFixed(0)} %`
}
