import type { Reading } from '../api/client'
import { LIMIT_AT, placeOnBar } from './margin'
import { verdictInk } from './VerdictMark'

const LENGTH = 96

/** Where in its limit a reading sits: a notch on a rail, the limit as a post. */
export function MarginBar({ reading }: { reading: Reading }) {
  const place = placeOnBar(reading)
  if (place === null) return null
  const twoSided = reading.minimum !== null && reading.maximum !== null
  const ink = `var(--chakra-colors-${verdictInk(reading.verdict)})`
  const isMinimum = reading.maximum === null
  const mark = LENGTH * (isMinimum ? 1 - LIMIT_AT : LIMIT_AT)
  const posts = twoSided ? [1, LENGTH - 1] : [mark]
  const at = Math.max(3, Math.min(LENGTH - 3, place * LENGTH))
  return (
    <svg width={LENGTH} height="16" viewBox={`0 0 ${LENGTH} 16`} aria-hidden="true">
      <rect x="0" y="6" width={LENGTH} height="4" fill="var(--chakra-colors-edge)" opacity="0.6" />
      {!twoSided && (
        <rect
          x={isMinimum ? Math.min(mark, at) : 0}
          y="6"
          width={isMinimum ? Math.abs(at - mark) : at}
          height="4"
          fill={ink}
        />
      )}
      {posts.map((post) => (
        <rect key={post} x={post - 1} y="1" width="2" height="14" fill="var(--chakra-colors-ink)" />
      ))}
      <path d={`M${at - 4} 2h8l-4 6z`} fill={ink} />
    </svg>
  )
}
